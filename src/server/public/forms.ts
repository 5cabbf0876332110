import { randomBytes, randomUUID } from 'node:crypto';
import { nameInput, type FormView } from '@/core/api';
import { formSchema, newForm, readSubmission, type Form } from '@/core/forms';
import { confirmLetter } from '@/core/messages';
import { countries } from '@/core/people';
import { DAY, HOUR } from '@/core/time';
import { addressOf, type Value } from '@/core/rules';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { addTag } from '@/data/work';
import { documentsNow } from '@/data/flows';
import {
  askConfirmation,
  askedSince,
  createFile,
  createForm,
  findConfirmation,
  findFile,
  findForm,
  formCounts,
  listFiles,
  listForms,
  noteConfirmed,
  saveForm,
  setFormState,
  type FormListRow,
  type FormRow,
} from '@/data/public';
import { findPerson, isSuppressed, lockPeople, ownerOfIdentifier } from '@/data/people';
import { createSource } from '@/data/sources';
import { readStore, recordAct } from '@/data/store';
import { issueOnce } from '../offers';
import { changeConsent, digestOf, listPeopleOn, sendConfirmation } from '../people';
import { env } from '../base';
import { notFound, Problem, problemsOf } from '../http';
import { Taken, withFreeKey } from '../store';
import { ingest } from '../ingest';
import { e, optionsOf, publicPage, tickBox } from './page';

function viewOf(row: FormListRow, documents: Awaited<ReturnType<typeof documentsNow>>): FormView {
  const flows = documents.flatMap((flow) => {
    const listens = flow.document.triggers
      .filter((trigger) => trigger.event === 'form.submitted')
      .flatMap(({ where }): ('all' | 'this')[] => {
        const asks = where?.find((ask) => ask.property === 'formId');
        if (!asks || 'any' in asks) return asks ? [] : ['all'];
        return (asks.op === 'is' && asks.value === row.key) || (asks.op === 'oneOf' && (asks.value as unknown[]).includes(row.key))
          ? ['this']
          : [];
      });
    return listens.length
      ? [{ key: flow.key, name: flow.name, listensTo: listens.includes('all') ? ('all' as const) : ('this' as const) }]
      : [];
  });
  return {
    key: row.key,
    name: row.name,
    document: row.document,
    revision: row.revision,
    isOpen: row.is_open,
    address: `${env().url}/form/${row.key}`,
    submitted: row.submitted,
    submitted30d: row.submitted_30d,
    waiting: row.waiting,
    changedAt: row.changed_at.toISOString(),
    flows,
  };
}

export async function forms(db: Db): Promise<{ forms: FormView[] }> {
  const [rows, documents] = await Promise.all([readStore(db).then(({ now }) => listForms(db, now)), documentsNow(db)]);
  return { forms: rows.map((row) => viewOf(row, documents)) };
}

export async function formView(db: Db, key: string): Promise<FormView> {
  const row = await formCounts(db, key, (await readStore(db)).now);
  if (!row || row.archived_at) throw notFound(`form "${key.slice(0, 60)}"`);
  return viewOf(row, await documentsNow(db));
}

const KEY = /^[a-z0-9][a-z0-9-]{0,59}$/;

/** Stores a form; a key that is new makes a new one, with a source of its own. With `isNew` it must be new. */
export async function writeForm(db: Db, key: string, body: unknown, revision: number | null, by: string, isNew = false): Promise<FormView> {
  if (!KEY.test(key))
    throw new Problem(400, 'Not a key', 'A form’s key is made of a-z, 0-9 and -, at most 60 characters.', [
      { field: 'key', wrong: 'is not a key', right: 'for example newsletter' },
    ]);
  const parsed = formSchema.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a form', 'Nothing was stored.', problemsOf(parsed.error));
  const { now } = await readStore(db);
  await inTransaction(db, async (trx) => {
    const known = await findForm(trx, key);
    if (known && isNew) throw new Taken();
    if (known) {
      if ((await saveForm(trx, key, parsed.data, revision, now)) === null)
        throw new Problem(
          409,
          'Changed meanwhile',
          'Somebody else has changed this form since you opened it. Load it again; nothing of theirs was overwritten.',
        );
    } else {
      const sourceId = await createSource(trx, { key: `form-${key}`, kind: 'form', name: parsed.data.name, by });
      await createForm(trx, { key, document: parsed.data, sourceId }, now);
      await recordAct(trx, now, by, 'form.made', { key });
    }
  });
  return formView(db, key);
}

/** Makes a form to begin with, under a key made of its name. */
export async function makeForm(db: Db, body: unknown, by: string): Promise<FormView> {
  const parsed = nameInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a name', 'A form needs a name of up to 80 characters.', problemsOf(parsed.error));
  const { name } = parsed.data;
  return withFreeKey(
    name,
    'form',
    async (one) => (await findForm(db, one)) !== null,
    (key) => writeForm(db, key, newForm(name), null, by, true),
  );
}

export async function changeFormState(db: Db, key: string, change: { isOpen?: boolean; isArchived?: boolean }, by: string): Promise<void> {
  if (!(await findForm(db, key))) throw notFound(`form "${key.slice(0, 60)}"`);
  const { now } = await readStore(db);
  await inTransaction(db, async (trx) => {
    await setFormState(trx, key, {
      ...(change.isOpen !== undefined && { isOpen: change.isOpen }),
      ...(change.isArchived !== undefined && { archivedAt: change.isArchived ? new Date(now) : null }),
    });
    await recordAct(trx, now, by, 'form.changed', { key, ...change });
  });
}

const FILE_TYPES: Record<string, string> = {
  pdf: 'application/pdf',
  epub: 'application/epub+zip',
  png: 'image/png',
  jpg: 'image/jpeg',
  jpeg: 'image/jpeg',
  gif: 'image/gif',
  webp: 'image/webp',
  txt: 'text/plain; charset=utf-8',
  csv: 'text/csv; charset=utf-8',
  zip: 'application/zip',
  mp3: 'audio/mpeg',
  mp4: 'video/mp4',
};

/** Keeps a file that a form promises. Only kinds that no browser runs. */
export async function keepFile(db: Db, name: string, bytes: Buffer, by: string): Promise<{ key: string; name: string }> {
  const extension = /\.([a-z0-9]+)$/i.exec(name)?.[1]?.toLowerCase() ?? '';
  const type = FILE_TYPES[extension];
  if (!type)
    throw new Problem(422, 'Not such a file', `A promised file may be ${Object.keys(FILE_TYPES).join(', ')}.`, [
      { field: 'name', wrong: 'is of another kind', right: 'for example guide.pdf' },
    ]);
  const key = randomBytes(16).toString('base64url');
  await createFile(db, {
    key,
    name: name.replace(/[^\p{L}\p{N}._ -]+/gu, '_').slice(0, 120),
    type,
    bytes,
    by,
    at: new Date((await readStore(db)).now),
  });
  return { key, name };
}

export const files = listFiles;
export const promisedFile = findFile;

/** Where what was promised is to be had. */
function downloadOf(form: Form): string | null {
  return form.promise === null ? null : form.promise.kind === 'link' ? form.promise.url : `${env().url}/files/${form.promise.file}`;
}

const HONEYPOT = 'your-website';
/** The browser's name by the page snippet, as an embedded form carries it along. */
export const DEVICE = /^[A-Za-z0-9_-]{16,64}$/;

/** The form as a page; `problems` and `given` when it is shown again. */
export function formPage(
  row: FormRow,
  storeName: string,
  shown: { given?: { readonly [name: string]: string }; problems?: { readonly [name: string]: string }; isEmbedded: boolean },
): string {
  const { document: form } = row;
  const { given = {}, problems = {} } = shown;
  const wrong = (id: string) => (problems[id] ? `<span class="wrong" id="${e(id)}-wrong" role="alert">${e(problems[id])}</span>` : '');
  const common = (id: string, required: boolean) =>
    `name="${e(id)}" id="${e(id)}"${required ? ' required' : ''}${problems[id] ? ` aria-invalid="true" aria-describedby="${e(id)}-wrong"` : ''}`;
  const inputs = form.fields.map((field) => {
    const value = given[field.id] ?? '';
    const label = `${e(field.label)}${field.required ? '' : ' <small>(if you like)</small>'}${field.hint ? ` <small>${e(field.hint)}</small>` : ''}`;
    if (field.type === 'yesno') return tickBox(common(field.id, field.required), value === 'yes', label) + wrong(field.id);
    if (field.type === 'choice' || field.type === 'country') {
      const options = field.type === 'country' ? countries() : (field.options ?? []).map((one) => ({ code: one, name: one }));
      const offered = optionsOf([['', ''], ...options.map(({ code, name }) => [code, name] as const)], value);
      return `<label>${label}<select ${common(field.id, field.required)}>${offered}</select>${wrong(field.id)}</label>`;
    }
    const type = { text: 'text', email: 'email', phone: 'tel', number: 'text', date: 'date' }[field.type];
    const complete = { email: 'email', phone: 'tel', firstName: 'given-name', lastName: 'family-name' }[field.attribute];
    const more = `${common(field.id, field.required)}${complete ? ` autocomplete="${complete}"` : ''}`;
    return `<label>${label}<input type="${type}" value="${e(value)}" maxlength="500" ${more}>${wrong(field.id)}</label>`;
  });
  const boxes = form.consents.map(({ channel, required, wording }) => {
    const id = `consent-${channel}`;
    return `<div>${tickBox(common(id, required), given[id] === 'yes', e(wording))}${wrong(id)}</div>`;
  });
  // people do not see the last field, programs fill it in
  return publicPage(
    form.title,
    `<h1>${e(form.title)}</h1>${
      form.intro
        ? form.intro
            .split(/\n{2,}/)
            .map((part) => `<p>${e(part)}</p>`)
            .join('')
        : ''
    }
<form method="post" action="/form/${e(row.key)}${shown.isEmbedded ? '?embedded=1' : ''}" novalidate>${inputs.join('\n')}${boxes.join('\n')}
<div class="away" aria-hidden="true"><label>Leave this empty<input type="text" name="${HONEYPOT}" tabindex="-1" autocomplete="off"></label></div>
${given.device ? `<input type="hidden" name="device" value="${e(given.device)}">` : ''}<button>${e(form.button)}</button>
<p class="hint">${e(storeName)}</p></form>`,
    { isEmbedded: shown.isEmbedded },
  );
}

export type Submitted =
  { readonly kind: 'wrong'; readonly problems: { readonly [name: string]: string } } | { readonly kind: 'done' | 'asked' };

/** Takes a submission in. With double opt-in nothing counts before the click in the mail; a program that fell for the trap is thanked and forgotten. */
export async function submitForm(db: Db, row: FormRow, given: { readonly [name: string]: string }, place: string): Promise<Submitted> {
  if (given[HONEYPOT]) return { kind: row.document.doubleOptIn ? 'asked' : 'done' };
  const filled = readSubmission(row.document, given);
  if ('problems' in filled) return { kind: 'wrong', problems: filled.problems };
  const { doubleOptIn } = row.document;
  const submission: Submission = {
    attributes: filled.attributes,
    agreed: filled.agreed,
    place,
    ...(DEVICE.test(given.device ?? '') && { device: given.device }),
  };
  if (!doubleOptIn) {
    await inTransaction(db, (trx) => record(db, trx, row, filled.email, submission, false));
    return { kind: 'done' };
  }
  const store = await readStore(db);
  // the page answers the same whether the address has been asked before or not: it tells nobody who is on file
  if ((await askedSince(db, filled.email, store.now - HOUR)) >= 3) return { kind: 'asked' };
  const token = randomBytes(24).toString('base64url');
  await inTransaction(db, async (trx) => {
    await askConfirmation(trx, {
      digest: digestOf(token),
      what: 'form',
      about: row.key,
      email: filled.email,
      data: submission,
      at: store.now,
      expiresAt: store.now + 7 * DAY,
    });
    await sendConfirmation(trx, filled.email, doubleOptIn.letter ?? confirmLetter(doubleOptIn.subject, doubleOptIn.text), token, store.now);
  });
  return { kind: 'asked' };
}

interface Submission {
  attributes: { readonly [name: string]: Value };
  agreed: readonly { channel: 'email' | 'sms' | 'push'; wording: string }[];
  place: string;
  device?: string;
}

/** Records a submission as an event, with consent, list and tag: all of it in the transaction of the caller, or nothing. */
async function record(db: Db, trx: Sql, row: FormRow, email: string, submission: Submission, isConfirmed: boolean): Promise<void> {
  const { document: form } = row;
  const known = await ownerOfIdentifier(trx, { kind: 'email', value: email });
  const onFile = known ? (await findPerson(trx, { id: known }))?.attributes : undefined;
  // whoever has not shown that the address is theirs may fill gaps of its person, but change nothing
  const attributes =
    isConfirmed || !onFile
      ? submission.attributes
      : Object.fromEntries(Object.entries(submission.attributes).filter(([name]) => onFile[name] === undefined));
  // nor do they lift what was said against it: a box that a stranger ticked is not its owner's word
  const agreed = isConfirmed
    ? submission.agreed
    : await withoutObjection(trx, known, submission.agreed, { email, ...onFile, ...attributes });
  const consent = Object.fromEntries(agreed.map(({ channel }) => [channel, true]));
  const download = downloadOf(form);
  const how = `form “${form.name}”${isConfirmed ? ', confirmed by mail' : ''}`;
  const answer = await ingest(
    db,
    {
      id: randomUUID(),
      source: `form/${row.key}`,
      type: 'form.submitted',
      data: {
        formId: row.key,
        formName: form.name,
        isConfirmed,
        ...Object.fromEntries(form.hidden.map(({ name, value }) => [name, value])),
        fields: submission.attributes,
        ...(download && { download, downloadLabel: form.promise!.label }),
        person: {
          ...attributes,
          email,
          ...(isConfirmed && submission.device && { device: submission.device }),
          ...(agreed.length && {
            consent: { ...consent, how, place: submission.place, wording: agreed.map((one) => one.wording).join(' · '), box: 'unticked' },
          }),
        },
      },
    },
    { sourceId: row.source_id, trx },
  );
  if (answer.rejected.length) throw new Problem(422, 'Not taken', 'The form could not be stored.', answer.rejected[0]!.problems);
  const personId = (await ownerOfIdentifier(trx, { kind: 'email', value: email }))!;
  if (isConfirmed && submission.agreed.length) {
    await changeConsent(
      db,
      personId,
      {
        channels: Object.fromEntries(submission.agreed.map(({ channel }) => [channel, 'given'])),
        detail: { how, place: submission.place, wording: submission.agreed.map((one) => one.wording).join(' · '), box: 'unticked' },
        isOwnWord: true,
      },
      trx,
    );
  }
  if (form.list) await putOn(db, trx, form.list, personId, how);
  if (form.tag) await addTag(trx, [personId], form.tag, how, new Date((await readStore(trx)).now));
}

/** Of the channels that somebody agreed to, those that nobody has withdrawn from and whose address is not out of use. Whoever is on file is locked. */
async function withoutObjection(
  trx: Sql,
  personId: string | null,
  agreed: Submission['agreed'],
  attributes: { readonly [name: string]: Value },
): Promise<Submission['agreed']> {
  const consents = personId ? (await lockPeople(trx, [personId])).get(personId)?.consents : undefined;
  const open: Submission['agreed'][number][] = [];
  for (const one of agreed) {
    const address = addressOf(one.channel, attributes);
    if (consents?.get(one.channel)?.state !== 'withdrawn' && !(address && (await isSuppressed(trx, one.channel, address)))) open.push(one);
  }
  return open;
}

/** Puts somebody on a list; one that was put away since takes nobody in any more, and that is no reason to lose the rest. */
async function putOn(db: Db, trx: Sql, list: string, personId: string, how: string): Promise<void> {
  await listPeopleOn(db, list, [personId], true, how, trx).catch((error: unknown) => {
    if (!(error instanceof Problem)) throw error;
  });
}

export interface Confirmation {
  readonly state: 'ask' | 'done' | 'late' | 'unknown';
  readonly what: string;
  readonly form: FormRow | null;
  /** the code that whoever has confirmed gets */
  readonly code?: { readonly code: string; readonly terms: string; readonly expires: string } | null;
}

/** What a confirmation link stands for. Looking changes nothing: programs that scan mail follow links too. */
export async function confirmationOf(db: Db, token: string): Promise<Confirmation> {
  const row = await findConfirmation(db, digestOf(token));
  if (!row) return { state: 'unknown', what: '', form: null };
  const form = row.what === 'form' ? await findForm(db, row.about) : null;
  const { now } = await readStore(db);
  return {
    state: row.confirmed_at ? 'done' : row.expires_at.getTime() < now ? 'late' : 'ask',
    what: form?.document.title ?? row.about,
    form,
  };
}

/** Confirms: from here on it counts. Pressed twice, it counts once. */
export async function confirm(db: Db, token: string): Promise<Confirmation> {
  const before = await confirmationOf(db, token);
  if (before.state !== 'ask') return before;
  let code: Confirmation['code'] = null;
  await inTransaction(db, async (trx) => {
    const row = await findConfirmation(trx, digestOf(token), true);
    if (!row || row.confirmed_at) return;
    if (row.what === 'form' && before.form) {
      await record(db, trx, before.form, row.email, row.data as unknown as Submission, true);
      const { offer, name } = before.form.document;
      const owner = offer ? await ownerOfIdentifier(trx, { kind: 'email', value: row.email }) : null;
      if (offer && owner) code = await issueOnce(trx, offer, owner, `form “${name}”`);
    }
    const personId = row.what === 'list' ? await ownerOfIdentifier(trx, { kind: 'email', value: row.email }) : null;
    if (personId) {
      await changeConsent(
        db,
        personId,
        {
          channels: { email: 'given' },
          detail: { how: `list “${row.about}”, confirmed by mail`, wording: 'Yes, it was me' },
          isOwnWord: true,
        },
        trx,
      );
      await putOn(db, trx, row.about, personId, 'confirmed by mail');
    }
    await noteConfirmed(trx, row.id, (await readStore(trx)).now);
  });
  return { ...before, state: 'done', code };
}
