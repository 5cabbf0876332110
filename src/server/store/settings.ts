import * as z from 'zod';
import { liftInput, suppressionsInput, viewInput, type SuppressionView } from '@/core/api';
import { boxFor, checkoutBoxSchema, countryCode, normaliseEmail, normalisePhone, type CheckoutBox } from '@/core/people';
import { CHANNELS } from '@/core/rules';
import { deleteView, listViews, readSetting, saveView, writeSetting } from '@/data/access';
import { nameCause } from '@/data/rules';
import { inTransaction, type Db } from '@/data/db';
import { readStore, recordAct } from '@/data/store';
import { liftSuppression, listSuppressions, readTopics, saveTopics, suppressAll, type Topic } from '@/data/people';
import { notFound, Problem, problemsOf, wholeNumber } from '../http';

const DEFAULT_BOX: CheckoutBox = {
  everywhere: { ticked: false, wording: 'Yes, write to me about my cart and about news. I can stop at any time.' },
  countries: {},
};

/** How the checkout's opt-in box stands and reads. */
export async function checkoutBox(db: Db): Promise<CheckoutBox> {
  return (await readSetting<CheckoutBox>(db, 'checkoutBox')) ?? DEFAULT_BOX;
}

export async function saveCheckoutBox(db: Db, body: unknown, by: string): Promise<CheckoutBox> {
  const parsed = checkoutBoxSchema.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not possible', 'Nothing was stored.', problemsOf(parsed.error));
  await inTransaction(db, async (trx) => {
    await writeSetting(trx, 'checkoutBox', parsed.data);
    await recordAct(trx, (await readStore(trx)).now, by, 'checkoutBox.changed');
  });
  return parsed.data;
}

/** The box for a shopper of a country, for the shop to show; what it says back comes with the consent. */
export async function boxOf(db: Db, country: string | null): Promise<{ country: string | null; ticked: boolean; wording: string }> {
  const code = country ? countryCode(country) : null;
  return { country: code, ...boxFor(await checkoutBox(db), code) };
}

const topicsSchema = z
  .array(
    z.strictObject({
      key: z.string().regex(/^[a-z0-9-]{1,40}$/, 'is not a key; use a-z, 0-9 and -'),
      name: z.string().trim().min(1).max(60),
      about: z.string().max(200),
    }),
  )
  .max(30);

export async function topics(db: Db): Promise<{ topics: Topic[] }> {
  return { topics: await readTopics(db) };
}

export async function storeTopics(db: Db, body: unknown, by: string): Promise<{ topics: Topic[] }> {
  const parsed = topicsSchema.safeParse((body as { topics?: unknown } | null)?.topics);
  if (!parsed.success) throw new Problem(422, 'Not topics', 'Nothing was stored.', problemsOf(parsed.error, 'topics'));
  if (new Set(parsed.data.map((topic) => topic.key)).size < parsed.data.length)
    throw new Problem(422, 'Not topics', 'Two topics have the same key; nothing was stored.');
  await inTransaction(db, async (trx) => {
    await saveTopics(trx, parsed.data);
    await recordAct(trx, (await readStore(trx)).now, by, 'topics.changed');
  });
  return topics(db);
}

/** Addresses never written to, a page of them. */
export async function suppressions(db: Db, url: URL): Promise<{ total: number; suppressions: SuppressionView[] }> {
  const offset = wholeNumber(url, 'offset', { least: 0, most: 10_000_000, otherwise: 0 });
  const { rows, total } = await listSuppressions(db, url.searchParams.get('q')?.trim() || null, 100, offset);
  return {
    total,
    suppressions: rows.map((row) => ({
      channel: row.channel,
      address: row.address,
      reason: row.reason,
      at: row.at.toISOString(),
      by: row.by,
      note: row.note,
      person: row.person_id ? `~${row.person_id}` : null,
    })),
  };
}

/** Puts addresses on the list of those never written to. What is no address is answered with, and nothing else is lost. */
export async function addSuppressions(db: Db, body: unknown, by: string): Promise<{ added: number; known: number; wrong: string[] }> {
  const parsed = suppressionsInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not addresses', 'Nothing was stored.', problemsOf(parsed.error));
  const { channel, addresses, reason } = parsed.data;
  const read = addresses
    .map((one) => one.trim())
    .filter(Boolean)
    .map((one) => ({
      one,
      address: channel === 'email' ? normaliseEmail(one) : channel === 'sms' ? normalisePhone(one, null) : one.slice(0, 200),
    }));
  const good = [...new Set(read.flatMap(({ address }) => address ?? []))];
  const { now } = await readStore(db);
  const added = await inTransaction(db, async (trx) => {
    await nameCause(trx, `by ${by}`);
    const fresh = await suppressAll(trx, channel, good, reason, now, { by });
    const count = fresh.length;
    await recordAct(trx, now, by, 'suppressions.added', { count });
    return count;
  });
  return { added, known: good.length - added, wrong: read.filter(({ address }) => !address).map(({ one }) => one) };
}

/** Takes an address off the list. Who did it and why is written down. */
export async function lift(db: Db, channel: string, address: string, why: string, by: string): Promise<void> {
  const known = CHANNELS.find((one) => one === channel);
  if (!known) throw notFound(`channel "${channel.slice(0, 20)}"`);
  const parsed = liftInput.safeParse({ why });
  if (!parsed.success)
    throw new Problem(422, 'Say why', 'Say why this address may be written to again; it is written down.', problemsOf(parsed.error));
  await inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    await nameCause(trx, `by ${by}`);
    if (!(await liftSuppression(trx, known, address))) throw notFound('such address on the list');
    await recordAct(trx, now, by, 'suppression.lifted', { channel, why: parsed.data.why });
  });
}

export const views = async (db: Db) => ({ views: await listViews(db) });

export async function keepView(db: Db, body: unknown, by: string) {
  const parsed = viewInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a view', 'Nothing was stored.', problemsOf(parsed.error));
  await saveView(db, { ...parsed.data, by, at: new Date((await readStore(db)).now) });
  return views(db);
}

export async function dropView(db: Db, id: string) {
  if (!/^\d{1,9}$/.test(id) || !(await deleteView(db, Number(id)))) throw notFound('such view');
  return views(db);
}
