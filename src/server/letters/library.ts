import { libraryInput, libraryKey, replaceInput, type LibraryItem, type LibraryUse, type LibraryView, type ReplaceView } from '@/core/api';
import { changeStep, formsOf, sayStep, stepsOf, type FlowDocument, type SendStep, type Step } from '@/core/flows';
import { headOf, mapTexts, messageSchema, textsOf, type Message } from '@/core/messages';
import { inTransaction, type Db } from '@/data/db';
import { documentsNow, lockFlow, replaceDraft } from '@/data/flows';
import { archiveInLibrary, findInLibrary, libraryVersions, listLibrary, saveInLibrary, type LibraryRow } from '@/data/letters';
import { readStore, recordAct } from '@/data/store';
import { notFound, Problem, problemsOf } from '../http';

const unknown = (key: string) => notFound(`"${key.slice(0, 60)}" in the library`);

/** Where things of the library are used, by key: in flows as they are on, or as drafted where they never were. */
async function usesOf(db: Db): Promise<Map<string, LibraryUse[]>> {
  const uses = new Map<string, LibraryUse[]>();
  for (const { key, name, state, document } of await documentsNow(db))
    for (const step of stepsOf(document))
      if (step.kind === 'send')
        for (const { message } of formsOf(step))
          if (message.from)
            uses.set(message.from.key, [
              ...(uses.get(message.from.key) ?? []),
              { flow: key, name, step: step.id, says: sayStep(step), isOn: state === 'on', revision: message.from.revision },
            ]);
  return uses;
}

const itemOf = (row: LibraryRow, uses: readonly LibraryUse[]): LibraryItem => ({
  key: row.key,
  name: row.name,
  kind: row.kind,
  tags: row.tags,
  revision: row.revision,
  isArchived: row.archived_at !== null,
  changedAt: row.changed_at.toISOString(),
  changedBy: row.changed_by,
  message: 'blocks' in row.document && row.kind === 'blocks' ? null : (row.document as Message),
  blocks: row.kind === 'blocks' && 'blocks' in row.document ? row.document.blocks : null,
  uses,
});

/** The library: messages, and blocks that are put into others. */
export async function library(db: Db, kind: 'message' | 'blocks' | null): Promise<{ items: LibraryItem[] }> {
  const uses = await usesOf(db);
  return { items: (await listLibrary(db, kind)).map((row) => itemOf(row, uses.get(row.key) ?? [])) };
}

export async function libraryView(db: Db, key: string): Promise<LibraryView> {
  const row = await findInLibrary(db, key);
  if (!row) throw unknown(key);
  const uses = (await usesOf(db)).get(key) ?? [];
  const versions = await libraryVersions(db, key);
  return {
    ...itemOf(row, uses),
    versions: versions.map(({ revision, name, at, by }) => ({ revision, name, at: at.toISOString(), by })),
  };
}

/** A revision of something in the library as it was. */
export async function libraryRevision(
  db: Db,
  key: string,
  revision: number,
): Promise<{ revision: number; document: LibraryRow['document'] }> {
  const found = (await libraryVersions(db, key)).find((one) => one.revision === revision);
  if (!found) throw notFound(`revision ${revision} of "${key.slice(0, 60)}"`);
  return { revision, document: found.document };
}

/** Stores a message or blocks under a key. `from` is the revision that was changed: when another has been stored meanwhile, nothing is. */
export async function putInLibrary(db: Db, key: string, body: unknown, from: number | null, by: string): Promise<LibraryView> {
  if (!libraryKey.safeParse(key).success)
    throw new Problem(400, 'Not a key', 'A key is made of a-z, 0-9 and -, at most 60 characters.', [
      { field: 'key', wrong: 'is not a key', right: 'for example cart-reminder' },
    ]);
  const parsed = libraryInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not for the library', 'Nothing was stored.', problemsOf(parsed.error));
  const { data } = parsed;
  await inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    const kind = 'message' in data ? 'message' : 'blocks';
    // what stands in the library comes from nowhere else
    const document = 'message' in data ? withoutOrigin(data.message) : { blocks: data.blocks };
    const revision = await saveInLibrary(trx, { key, name: data.name, kind, document, tags: data.tags ?? [] }, from, by, now);
    if (revision === null) {
      const kept = await findInLibrary(trx, key);
      throw kept && kept.kind !== kind
        ? new Problem(
            409,
            'Another kind',
            `Under this key there ${kept.kind === 'blocks' ? 'are blocks' : 'is a message'} already. Choose another key.`,
          )
        : new Problem(
            409,
            'Changed meanwhile',
            `${kept?.changed_by ?? 'Somebody'} has stored another revision. Load it again, or store yours under another key.`,
          );
    }
    await recordAct(trx, now, by, 'library.stored', { key, revision });
  });
  return libraryView(db, key);
}

function withoutOrigin(message: Message): Message {
  const { from: _, ...rest } = message;
  return rest as Message;
}

/** Archives something of the library, or brings it back. What was put into flows stays as it is. */
export async function keepInLibrary(db: Db, key: string, isArchived: boolean, by: string): Promise<void> {
  await inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    if (!(await archiveInLibrary(trx, key, isArchived ? now : null))) throw unknown(key);
    await recordAct(trx, now, by, isArchived ? 'library.archived' : 'library.restored', { key });
  });
}

/** Puts other words in the place of some, in the library and in the drafts of flows; what is on goes on as it is until it is published. */
export async function replaceWords(db: Db, body: unknown, by: string): Promise<ReplaceView> {
  const parsed = replaceInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Nothing to replace', 'Nothing was changed.', problemsOf(parsed.error));
  const { find, put, isTrial, without = [] } = parsed.data;
  const left = new Set(without);
  const swapped = (text: string) => text.split(find).join(put);
  const places: { id: string; where: string; times: number; was: string; is: string }[] = [];
  const look = (id: string, where: string, message: Message): Message => {
    const hit = textsOf(message).filter((text) => text.includes(find));
    if (!hit.length) return message;
    const times = hit.reduce((sum, text) => sum + text.split(find).length - 1, 0);
    places.push({ id, where, times, was: around(hit[0]!, find), is: around(swapped(hit[0]!), put) });
    if (left.has(id)) return message;
    const changed = messageSchema.safeParse(mapTexts(message, swapped));
    if (!changed.success)
      throw new Problem(422, 'Too long', `In ${where} it would not fit: ${problemsOf(changed.error)[0]!.wrong}. Nothing was changed.`);
    return changed.data;
  };
  let changed = 0;
  await inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    for (const row of await listLibrary(trx, 'message')) {
      if (row.archived_at) continue;
      const message = row.document as Message;
      const next = look(`library/${row.key}`, `“${row.name}” of the library`, message);
      if (next === message || isTrial) continue;
      await saveInLibrary(trx, { ...row, document: next }, null, by, now);
      changed += 1;
    }
    for (const { key } of await documentsNow(trx)) {
      const flow = await lockFlow(trx, key);
      if (!flow || flow.state === 'archived') continue;
      const next = inEachMessage(flow.draft, (message, step, form) =>
        look(`flow/${key}/${step.id}/${form}`, `“${headOf(message) || sayStep(step)}” of ${flow.name}`, message),
      );
      if (next === flow.draft || isTrial) continue;
      await replaceDraft(trx, flow.id, next, now);
      changed += 1;
    }
    if (changed) await recordAct(trx, now, by, 'messages.replaced', { find, put, places: places.length });
  });
  return { places, changed };
}

/** A text around the words it is shown for. */
function around(text: string, words: string): string {
  const at = Math.max(0, text.indexOf(words) - 40);
  return `${at > 0 ? '…' : ''}${text.slice(at, at + words.length + 80)}${at + words.length + 80 < text.length ? '…' : ''}`;
}

/** A flow with each of its messages changed, by step and the id of the version (none for everyone else's); the same flow where none was. */
function inEachMessage(flow: FlowDocument, change: (message: Message, step: Step, form: string) => Message): FlowDocument {
  let next = flow;
  for (const step of stepsOf(flow)) {
    if (step.kind !== 'send') continue;
    const message = change(step.message, step, '');
    const versions = step.versions?.map((one) => {
      const to = change(one.message, step, one.id);
      return to === one.message ? one : { ...one, message: to };
    });
    const isSame = message === step.message && (versions ?? []).every((one, index) => one === step.versions![index]);
    if (!isSame) next = changeStep(next, step.id, (old) => ({ ...(old as SendStep), message, ...(versions && { versions }) }));
  }
  return next;
}
