import { renderInput, testInput, type RenderView, type TellingPerson } from '@/core/api';
import { asksOfRules, factsOfRules } from '@/core/flows';
import {
  brandSchema,
  checkMessage,
  CUT_AT_BYTES,
  everyBlock,
  fieldsOfBlock,
  personalise,
  personalOf,
  unreadable,
  type Brand,
  type Message,
  type MessageFinding,
  type Personal,
} from '@/core/messages';
import { addressOf, factsOf, verdict, type Facts, type Value } from '@/core/rules';
import { DAY } from '@/core/time';
import { cartItems } from '@/core/letters';
import { inTransaction, type Db } from '@/data/db';
import { lastOf, lastWho } from '@/data/letters';
import { createLetter } from '@/data/messages';
import { loadFacts } from '@/data/rules';
import { readStore, recordAct, type StoreNow } from '@/data/store';
import { addJobs } from '@/data/work';
import { Problem, problemsOf } from '../http';
import { nameOf, person, publicId } from '../people';
import { findForLetters } from './found';
import { readBrands, type Brands } from './press';
import { tryRender } from './render';

type Values = { readonly [name: string]: Value };
type Asked = ReturnType<typeof renderInput.parse>;

/** Links of a letter that is only looked at: they lead nowhere. */
const LINKS = {
  unsubscribeUrl: 'https://store.example/leave',
  preferencesUrl: 'https://store.example/preferences',
  pixelUrl: null,
  track: (url: string) => url,
  rate: () => 'https://store.example/rate',
  download: () => 'https://store.example/fetch',
};

/** What a code looks like where none has been issued. */
const SAMPLE_OFFER = { code: 'QF-7K2M9X', expires: 'Sunday 30 November, 18:00', terms: '10 % off' };

interface Filled {
  readonly store: StoreNow;
  readonly brands: Brands;
  readonly personId: string | null;
  readonly personal: Personal;
  readonly holds: readonly string[];
}

/** Puts together what a message is filled in with, as it is asked for. */
async function filledFor(db: Db, asked: Omit<Asked, 'brand'>, brand: Brand | null): Promise<Filled> {
  const store = await readStore(db);
  const stored = await readBrands(db, store.name);
  const brands = brand
    ? new Map([
        ...stored,
        ['', brand] as const,
        ...(asked.message.channel === 'email' && asked.message.brand ? [[asked.message.brand, brand] as const] : []),
      ])
    : stored;
  const row = typeof asked.person === 'string' ? await person(db, asked.person) : null;
  const attributes = (row?.attributes ?? (asked.person as Values | undefined) ?? {}) as Values;
  const event =
    typeof asked.event === 'string' ? ((row && (await lastOf(db, row.id, asked.event))) ?? {}) : ((asked.event ?? {}) as Values);
  const holds = asked.holds ?? (await holding(db, asked.message, row?.id ?? null, attributes, event, store));
  const personal = personalOf(attributes, event, store, (asked.answers ?? {}) as never, asked.offer ?? SAMPLE_OFFER, holds);
  return { store, brands, personId: row?.id ?? null, personal, holds };
}

/** Which conditions of a message hold for somebody at this moment. */
async function holding(
  db: Db,
  message: Message,
  personId: string | null,
  attributes: Values,
  event: Values,
  store: StoreNow,
): Promise<string[]> {
  const conditions = message.conditions ?? [];
  if (!conditions.length) return [];
  const rules = conditions.map(({ rule }) => rule);
  const facts: Facts =
    (personId !== null &&
      (await loadFacts(db, new Map([[personId, { events: asksOfRules(rules, store.now, store.zone) }]]), factsOfRules(rules))).get(
        personId,
      )) ||
    factsOf('0', { attributes });
  const view = {
    now: store.now,
    zone: store.zone,
    world: store.world,
    enteredAt: store.now,
    about: { at: store.now, eventId: null, data: event },
  };
  return conditions.flatMap(({ id, rule }) => (verdict(rule, facts, view).holds ? [id] : []));
}

const MOST_ASKED = 12;
const LONGEST_ASKED_MS = 2_000;

/** Links of a letter that lead to the stand-ins of the demo and do not answer there; no other address is asked. */
async function unanswered(message: Message, personal: Personal, standIns: string): Promise<MessageFinding[]> {
  if (message.channel !== 'email') return [];
  const links = everyBlock(message.blocks).flatMap((block) =>
    Object.entries(fieldsOfBlock(block)).flatMap(([field, text]) => {
      if (field !== 'url' && field !== 'link') return [];
      try {
        const url = personalise(text, personal).trim();
        return url.startsWith(`${standIns}/`) ? [{ block: block.id, field, url }] : [];
      } catch {
        return [];
      }
    }),
  );
  const found = await Promise.all(
    links.slice(0, MOST_ASKED).map(async ({ block, field, url }): Promise<MessageFinding[]> => {
      const said = await fetch(url, { redirect: 'manual', signal: AbortSignal.timeout(LONGEST_ASKED_MS) }).then(
        ({ status }) => (status >= 400 ? `answers ${status}` : null),
        () => 'does not answer',
      );
      if (said === null) return [];
      const mend = 'Look at its address: whoever presses it finds nothing.';
      return [{ code: 'link-unanswered', level: 'warns', says: `What it leads to ${said}: ${url.slice(0, 120)}`, mend, block, field }];
    }),
  );
  return found.flat();
}

/** Shows a message as somebody would get it, with what is to be mended about it. Nothing is stored and nothing goes out. */
export async function renderAs(db: Db, body: unknown, standIns: string | null = null): Promise<RenderView> {
  const parsed = renderInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a message', 'Nothing was rendered.', problemsOf(parsed.error));
  const { brand: given, ...asked } = parsed.data;
  const brand = given === undefined ? null : brandSchema.safeParse(given);
  if (brand && !brand.success) throw new Problem(422, 'Not a brand', 'Nothing was rendered.', problemsOf(brand.error));
  const { store, brands, personId, personal, holds } = await filledFor(db, asked, brand?.data ?? null);
  const { message } = asked;
  const [found] =
    message.channel === 'email' ? await findForLetters(db, [{ personId, email: message, about: personal.event }], store.now) : [];
  const rendered = await tryRender(message, personal, LINKS, { brands, found });
  const problems: MessageFinding[] = [...checkMessage(message), ...(standIns ? await unanswered(message, personal, standIns) : [])];
  const shown = 'problem' in rendered ? { subject: '', html: '', text: '' } : rendered;
  if ('problem' in rendered && !problems.some(({ level }) => level === 'stops'))
    problems.push({ code: 'not-rendered', level: 'stops', says: rendered.problem, mend: 'Look at its placeholders and addresses.' });
  const bytes = Buffer.byteLength(shown.html);
  if (bytes > CUT_AT_BYTES)
    problems.push({
      code: 'too-large',
      level: 'warns',
      says: `It is ${Math.round(bytes / 1024)} kB, and mail programs commonly cut letters at 102 kB`,
      mend: 'Show fewer items, or take parts out: the unsubscribe link at its end would be cut off.',
    });
  if (message.channel === 'email')
    for (const { by, what, contrast } of unreadable(brands.get(message.brand ?? '') ?? brands.get('')!))
      problems.push({
        code: 'contrast',
        level: 'warns',
        says: `In its brand, ${what} cannot be read well by ${by}: the contrast is ${contrast.toFixed(1)}, and should be 4.5 or more`,
        mend: 'Change the colours of the brand.',
      });
  let preview = '';
  try {
    preview =
      message.channel === 'email'
        ? personalise(message.preview, personal)
            .replace(/[\r\n]+/g, ' ')
            .trim()
        : '';
  } catch {
    // told above
  }
  return {
    ...shown,
    preview,
    bytes,
    problems,
    products: Object.fromEntries(
      Object.entries(found?.products ?? {}).map(([id, list]) => [id, list.map(({ name, why }) => ({ name, why }))]),
    ),
    holds,
    event: personal.event,
  };
}

/** How far back people are looked for, and how many. */
const LOOKED_AT = 400;
const SINCE_MS = 90 * DAY;
const LATELY = 5;

/** People by whom a message shows what it can look like: the telling ones first, then who did what starts it last. */
export async function tellingFor(db: Db, type: string | null): Promise<TellingPerson[]> {
  const { now } = await readStore(db);
  const rows = await lastWho(db, type, now - SINCE_MS, LOOKED_AT);
  const first = (one: (typeof rows)[number]) => (typeof one.attributes.firstName === 'string' ? one.attributes.firstName.trim() : '');
  const language = (one: (typeof rows)[number]) => (typeof one.attributes.language === 'string' ? one.attributes.language.slice(0, 2) : '');
  const many = new Map<string, number>();
  for (const one of rows) many.set(language(one), (many.get(language(one)) ?? 0) + 1);
  const [common] = [...many].sort((a, b) => b[1] - a[1])[0] ?? [''];
  const most = (of: (one: (typeof rows)[number]) => number) => rows.reduce((best, one) => (of(one) > of(best) ? one : best), rows[0]!);
  const items = (one: (typeof rows)[number]) => cartItems(one.about ?? {}).length;
  const found: { row: (typeof rows)[number] | undefined; tells: string }[] = rows.length
    ? [
        { row: rows.find((one) => !first(one)), tells: 'no first name' },
        { row: most((one) => first(one).length), tells: 'longest first name' },
        ...(rows.some((one) => items(one) > 1) ? [{ row: most(items), tells: `most items: ${items(most(items))}` }] : []),
        ...(type && /^(cart|order|checkout)\./.test(type) ? [{ row: rows.find((one) => items(one) === 0), tells: 'no items' }] : []),
        { row: rows.find((one) => language(one) !== common && language(one) !== ''), tells: 'another language' },
        ...rows.slice(0, LATELY).map((row) => ({ row, tells: 'lately' })),
      ]
    : [];
  const seen = new Set<string>();
  return found.flatMap(({ row, tells }) => {
    if (!row || seen.has(row.id)) return [];
    seen.add(row.id);
    return [{ id: publicId(row), name: nameOf(row.attributes) ?? addressOf('email', row.attributes) ?? publicId(row), tells }];
  });
}

/** Sends a letter to a few addresses to try it out: marked as such in its subject, at once, and counted nowhere. */
export async function sendTest(db: Db, body: unknown, by: string): Promise<{ sent: number }> {
  const parsed = testInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a test', 'Nothing was sent.', problemsOf(parsed.error));
  const { to, brand: _, ...asked } = parsed.data;
  const { message } = asked;
  if (message.channel !== 'email') throw new Problem(422, 'Not a letter', 'Only letters are sent to try them out.');
  const { personId, personal, holds } = await filledFor(db, asked, null);
  const marked: Message = { ...message, subject: `[Test] ${message.subject}`.slice(0, 300) };
  await inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    const ids: string[] = [];
    for (const address of new Set(to))
      ids.push(
        await createLetter(trx, {
          // it is nobody's: it stands on no time line
          personId: null,
          address,
          purpose: 'test',
          kind: 'service',
          message: marked,
          about: personal.event,
          filled: {
            person: personId,
            ...(personId === null && { attributes: personal.person }),
            ...(personal.offer && { offer: personal.offer }),
            answers: personal.answers ?? {},
            holds,
          },
          by,
          at: now,
        }),
      );
    await addJobs(
      trx,
      'letter',
      ids.map((id) => ({ id })),
      15,
    );
    await recordAct(trx, now, by, 'letter.tried', { letters: ids });
  });
  return { sent: new Set(to).size };
}
