import { createHash } from 'node:crypto';
import { csvRow, importSchema, readEventRow, readPersonRow, type ImportPlan } from '@/core/imports';
import {
  attributesToKeep,
  joinProfiles,
  keptAttributes,
  learn,
  MOST_ATTRIBUTES,
  MOST_NAMES,
  OFFICE_MAILBOXES,
  spellingGroups,
} from '@/core/people';
import type { Value } from '@/core/rules';
import type { Instant } from '@/core/time';
import { discoverAttributes, findList, saveAttribute } from '@/data/people';
import {
  badRows,
  clearBadRows,
  deleteUpload,
  dropStage,
  erasedRows,
  makeStage,
  nameUnclear,
  noteBefore,
  removeEmpty,
  saveBadRows,
  saveWorkDetail,
  setImport,
  sortStage,
  STAGE_COLUMNS,
  storeConsents,
  storeFresh,
  storeGroups,
  storePhones,
  unclearRows,
  undoEvents,
  undoPeopleImport,
  updateKnown,
  wouldBeFull,
  type Sorted,
  type WorkRow,
} from '@/data/work';
import { copyInto, inTransaction, isInTheWay, type Cell, type Db, type Sql } from '@/data/db';
import { lookAt } from '@/data/rules';
import { createSource, findSource } from '@/data/sources';
import { readStore, recordAct } from '@/data/store';
import type { Dispatch } from '../messages';
import { Problem, problemsOf } from '../http';
import {
  attributeRecords,
  changeOf,
  forgetAttributes,
  identify,
  ingest,
  lookUp,
  parseEvent,
  settleAnew,
  type ParsedEvent,
} from '../ingest';
import { csvRows, ndjsonRows } from './read';
import { openUpload, upload } from './uploads';
import { startWork, Stopped, type Finished, type Report } from './start';

/** Checks a plan and puts the import in; `isDry` plays it through and keeps nothing. */
export async function startImport(db: Db, body: unknown, isDry: boolean, by: string): Promise<string> {
  const parsed = importSchema.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not an import', 'Nothing was started.', problemsOf(parsed.error));
  const plan = parsed.data;
  await upload(db, plan.upload);
  if (plan.list) {
    const list = await findList(db, plan.list);
    if (!list || list.archived_at)
      throw new Problem(422, 'No such list', 'Nothing was started.', [
        { field: 'list', wrong: 'is not a list on file', right: 'the key of a list' },
      ]);
  }
  return startWork(db, { kind: 'import', name: plan.name, detail: { plan, isDry }, by });
}

/** What a row says that goes beyond the columns that the header names. */
const TOO_WIDE = {
  problems: [
    {
      column: 'row',
      wrong: 'has more cells than the header has names',
      right: 'quotation marks around cells that hold the delimiter, or a name for each column',
    },
  ],
} as const;

interface Tally {
  rows: number;
  bad: number;
  values: Map<number, Map<string, number>>;
}

/** Runs an import. People come in one transaction: all of them or none. Events come batch by batch, each once, and go again when it is cancelled. */
export async function runImport(context: Dispatch, work: WorkRow, report: Report): Promise<Finished> {
  const { plan, isDry } = work.detail as { plan: ImportPlan; isDry: boolean };
  await clearBadRows(context.db, work.id);
  const tally: Tally = { rows: 0, bad: 0, values: new Map() };
  const result =
    plan.kind === 'orders' || plan.kind === 'events'
      ? await importEvents(context, work, plan, isDry, tally, report)
      : await importPeople(context, work, plan, isDry, tally, report);
  const spellings = spellingsOf(plan, tally);
  return {
    says: isDry ? 'Checked; nothing was stored.' : result.says,
    result: { ...result.result, rows: tally.rows, bad: tally.bad, isDry, spellings, canUndo: !isDry },
  };
}

/** Counts the values of columns whose spelling may vary. */
function noteValues(plan: ImportPlan, tally: Tally, cells: readonly string[]): void {
  for (const column of plan.columns) {
    if (
      column.to !== 'country' &&
      column.to !== 'status' &&
      column.to !== 'type' &&
      !(/^(attribute|property):/.test(column.to) && (column.type ?? 'text') === 'text')
    )
      continue;
    const value = cells[column.index]?.trim();
    if (!value || value.length > 60) continue;
    let seen = tally.values.get(column.index);
    if (!seen) tally.values.set(column.index, (seen = new Map()));
    const count = seen.get(value);
    // a column in which nearly everything differs is not one of spellings
    if (count !== undefined) seen.set(value, count + 1);
    else if (seen.size < 2000) seen.set(value, 1);
  }
}

function spellingsOf(plan: ImportPlan, tally: Tally) {
  return plan.columns.flatMap((column) => {
    const seen = tally.values.get(column.index);
    if (!seen || seen.size >= 2000) return [];
    const values = [...seen].map(([value, count]) => ({ value: column.respell?.[value] ?? value, count }));
    const groups = spellingGroups(values, column.to === 'country' ? 'country' : null, plan.country ?? null).filter((group) =>
      group.variants.some((one) => one.value !== group.keep),
    );
    return groups.length ? [{ index: column.index, to: column.to, groups: groups.slice(0, 50) }] : [];
  });
}

const PROGRESS_EVERY = 20_000;

async function importPeople(
  context: Dispatch,
  work: WorkRow,
  plan: ImportPlan,
  isDry: boolean,
  tally: Tally,
  report: Report,
): Promise<Finished> {
  const { db } = context;
  const store = await readStore(db);
  const now = store.now;
  const file = await upload(db, plan.upload);
  const records = await attributeRecords(db);
  const stage = await makeStage(db, work.id);
  try {
    await report({ says: 'Reading the file' });
    let said = 0;
    async function* staged(): AsyncGenerator<(readonly Cell[])[]> {
      for await (const batch of csvRows(await openUpload(db, file), plan.format)) {
        const rows: (readonly Cell[])[] = [];
        const bad: { row: number; cells: readonly string[]; problems: readonly object[] }[] = [];
        for (const { number, cells, isTooWide } of batch) {
          tally.rows += 1;
          noteValues(plan, tally, cells);
          const read = isTooWide ? TOO_WIDE : readPersonRow(plan, cells, now);
          if ('problems' in read) {
            tally.bad += 1;
            bad.push({ row: number, cells: cells.map((cell) => cell.slice(0, 2000)), problems: read.problems });
            continue;
          }
          const { record } = read;
          const attributes = keptAttributes(record.attributes, records);
          rows.push([
            number,
            record.externalId,
            record.email,
            record.phone,
            attributes,
            Object.fromEntries(Object.keys(attributes).map((name) => [name, now])),
            record.tags,
            record.consents as unknown as { [name: string]: unknown },
            record.consentAt === null ? null : new Date(record.consentAt),
            record.consentHow,
            record.consentWording,
            record.consentPlace,
          ]);
        }
        await saveBadRows(db, work.id, bad);
        if (tally.rows - said >= PROGRESS_EVERY) {
          said = tally.rows;
          await report({ done: tally.rows });
        }
        yield rows;
      }
    }
    await copyInto(db, stage, STAGE_COLUMNS, asJson(staged()));
    await report({ done: tally.rows, total: tally.rows, says: 'Looking who is on file already' });
    const { sorted, counts } = await storePeople(context, work, plan, isDry, now, report);
    // by their place alone: the address of somebody who asked to be forgotten is not kept again
    const erased = sorted.erased ? await erasedRows(db, work.id) : [];
    await saveBadRows(
      db,
      work.id,
      erased.map((row) => ({
        row: Number(row),
        cells: [],
        problems: [{ column: 'email', wrong: 'was erased at the person’s request', right: 'leave this row out' }],
      })),
    );
    tally.bad += sorted.erased;
    forgetAttributes(db);
    return { says: 'Imported.', result: { ...counts, unclear: sorted.unclear, erased: sorted.erased } };
  } catch (error) {
    if (error instanceof Stopped) await clearBadRows(db, work.id);
    throw error;
  } finally {
    await dropStage(db, work.id);
  }
}

/** Raised at the end of a dry run, so that its transaction keeps nothing. */
class DryRun extends Error {}

interface PeopleCounts {
  fresh: number;
  known: number;
  changed: number;
  joined: number;
  consents: number;
  tagged: number;
  listed: number;
}

/** Sorts and stores what is staged, in one transaction. When somebody of the file comes in by another way meanwhile, it is sorted anew. */
async function storePeople(
  context: Dispatch,
  work: WorkRow,
  plan: ImportPlan,
  isDry: boolean,
  now: Instant,
  report: Report,
): Promise<{ sorted: Sorted; counts: PeopleCounts }> {
  const { db } = context;
  const at = new Date(now);
  const records = await attributeRecords(db);
  for (let attempt = 1; ; attempt++) {
    const sorted = await sortStage(db, work.id, OFFICE_MAILBOXES);
    await report({ says: isDry ? 'Checking' : 'Storing' });
    const counts: PeopleCounts = { fresh: sorted.fresh, known: sorted.known, changed: 0, joined: 0, consents: 0, tagged: 0, listed: 0 };
    try {
      await inTransaction(
        db,
        async (trx) => {
          await refuseTooMany(trx, work.id, plan, records, sorted.known);
          for (const column of plan.columns)
            if (column.to.startsWith('attribute:'))
              await saveAttributeOnce(trx, column.to.slice(10), column.type ?? 'text', records.has(column.to.slice(10)));
          if (sorted.known) counts.changed = await updateKnown(trx, work.id, at, plan.existing);
          await report({ says: isDry ? 'Checking: new people' : 'Storing new people' });
          if (sorted.fresh) await storeFresh(trx, work.id, at);
          if (sorted.phoned) await storePhones(trx, work.id, at);
          if (sorted.unclear) counts.joined = await throughIdentity(trx, work, plan, now);
          await report({ says: isDry ? 'Checking: consent and groups' : 'Storing consent and groups' });
          if (sorted.said) counts.consents = await storeConsents(trx, work.id, at, plan.consent?.how ?? `import of ${plan.name}`, work.by);
          const list = plan.list ? await findList(trx, plan.list) : null;
          if (sorted.tagged || list)
            Object.assign(counts, await storeGroups(trx, work.id, at, list?.id ?? null, listHow(work.id), 'import'));
          if (isDry) throw new DryRun();
          await report({ says: 'Storing' });
          await recordAct(trx, now, work.by, 'import.done', { work: work.id, kind: plan.kind });
        },
        1,
      );
      return { sorted, counts };
    } catch (error) {
      if (error instanceof DryRun) return { sorted, counts };
      if (attempt >= 5 || !isInTheWay(error)) throw error;
    }
  }
}

/** A file that would give the store or a person more attributes than they may have is refused as a whole, in words. */
async function refuseTooMany(
  trx: Sql,
  workId: string,
  plan: ImportPlan,
  records: ReadonlyMap<string, unknown>,
  known: number,
): Promise<void> {
  const names = new Set(plan.columns.flatMap(({ to }) => (to.startsWith('attribute:') ? [to.slice(10)] : [])));
  const fresh = [...names].filter((name) => !records.has(name));
  if (fresh.length && records.size + fresh.length > MOST_NAMES)
    throw new Problem(
      422,
      'Too many names',
      `The store takes over at most ${MOST_NAMES.toLocaleString('en')} names of attributes,
        and this file brings ${fresh.length} new ones: ${fresh.slice(0, 5).join(', ')}. Leave columns out; nothing was stored.`,
    );
  if (!names.size || !known) return;
  const full = await wouldBeFull(trx, workId, MOST_ATTRIBUTES);
  if (full)
    throw new Problem(
      422,
      'Too many attributes',
      `${full.toLocaleString('en')} ${full === 1 ? 'person' : 'people'} of this file would have more than the ${MOST_ATTRIBUTES} attributes ` +
        'that a person may have. Leave columns out; nothing was stored.',
    );
}

const listHow = (workId: string): string => `import #${workId}`;

async function saveAttributeOnce(
  trx: Sql,
  name: string,
  type: ImportPlan['columns'][number]['type'] & string,
  isThere: boolean,
): Promise<void> {
  if (!isThere) await (type === 'text' ? discoverAttributes(trx, [{ name, type }]) : saveAttribute(trx, { name, type, isDeclared: true }));
}

/** COPY takes lists of objects as JSON, not as arrays. */
async function* asJson(source: AsyncIterable<(readonly Cell[])[]>): AsyncGenerator<(readonly Cell[])[]> {
  for await (const rows of source) yield rows.map((row) => row.map((one, index) => (index === 7 ? JSON.stringify(one) : one)));
}

/** Rows that share identifiers with each other or with several people go through identity as events do. Answers with how many. */
async function throughIdentity(trx: Sql, work: WorkRow, plan: ImportPlan, now: Instant): Promise<number> {
  let after = '0';
  let count = 0;
  for (;;) {
    const rows = await unclearRows(trx, work.id, after, 500);
    if (!rows.length) return count;
    after = rows.at(-1)!.row;
    const events = rows.map((row): ParsedEvent => ({
      id: `${work.id}/${row.row}`,
      source: 'import',
      type: 'person.updated',
      time: now,
      externalId: row.external_id,
      email: row.email,
      phone: row.phone,
      device: null,
      said: row.attributes,
      consents: [],
      detail: { how: '', place: null, wording: null, actor: null, box: null, country: null },
      properties: {},
    }));
    const { people, owners, store } = await identify(trx, events, await lookUp(trx, events, [], null), now);
    const before = new Map([...people].map(([id, one]) => [id, one.profile]));
    events.forEach((event, index) => {
      const person = owners[index]!;
      person.profile =
        plan.existing === 'fill'
          ? joinProfiles(learn({ attributes: {}, stamped: {} }, event.said, now - 1), person.profile)
          : learn(person.profile, attributesToKeep(event.said, person.profile.attributes, () => true, 0).kept, now);
    });
    await store(
      [...people.values()]
        .filter((person) => person.isNew || person.isChanged || person.profile !== before.get(person.id))
        .map((person) => changeOf(person, { first: person.firstSeen, last: person.isNew ? now : person.seenAt })),
    );
    await noteBefore(
      trx,
      work.id,
      [...people.values()].flatMap((person) => {
        const was = before.get(person.id)!;
        if (person.isNew || person.profile === was) return [];
        const said = Object.fromEntries(
          Object.entries(person.profile.attributes).filter(([name, value]) => value !== was.attributes[name]),
        );
        return [{ personId: person.id, was: { attributes: was.attributes, stamped: was.stamped }, said }];
      }),
    );
    await setImport(
      trx,
      work.id,
      [...people.values()].filter((person) => person.isNew).map((person) => person.id),
    );
    const unsettled = [...people.values()].filter((person) => person.isUnsettled).map((person) => person.id);
    await settleAnew(trx, unsettled, await readStore(trx));
    await nameUnclear(
      trx,
      work.id,
      rows.map((row, index) => ({ row: row.row, personId: owners[index]!.id })),
    );
    count += rows.length;
  }
}

/** The source under which the events of a file stand, so that the same file sent twice counts once. */
function fileSource(plan: ImportPlan): string {
  return plan.kind === 'orders' ? 'file/orders' : `file/${createHash('sha256').update(plan.name).digest('hex').slice(0, 12)}`;
}

async function importEvents(
  context: Dispatch,
  work: WorkRow,
  plan: ImportPlan,
  isDry: boolean,
  tally: Tally,
  report: Report,
): Promise<Finished> {
  const { db } = context;
  const store = await readStore(db);
  const file = await upload(db, plan.upload);
  const key = `file-${work.id}`;
  const sourceId = isDry
    ? 0
    : ((await findSource(db, key))?.id ?? (await createSource(db, { key, kind: 'file', name: plan.name, by: work.by })));
  const counts = { accepted: 0, duplicates: 0 };
  await report({ says: isDry ? 'Checking' : 'Reading and storing' });
  let said = 0;

  const take = async (
    rows: readonly { number: number; cells: readonly string[]; events: readonly Record<string, Value>[] }[],
  ): Promise<void> => {
    const flat = rows.flatMap((row) => row.events.map((event) => ({ row, event })));
    const bad = new Map<number, { row: number; cells: readonly string[]; problems: object[] }>();
    const refuse = (row: (typeof flat)[number]['row'], problems: readonly { field: string; wrong: string; right: string }[]) => {
      const known = bad.get(row.number) ?? { row: row.number, cells: row.cells, problems: [] };
      known.problems.push(...problems.map(({ field, wrong, right }) => ({ column: field, wrong, right })));
      bad.set(row.number, known);
    };
    if (isDry) {
      for (const { row, event } of flat) {
        const parsed = parseEvent(event, store.now);
        if ('problems' in parsed) refuse(row, parsed.problems);
        else counts.accepted += 1;
      }
    } else {
      for (let at = 0; at < flat.length; at += 1000) {
        const part = flat.slice(at, at + 1000);
        const answer = await ingest(
          db,
          part.map(({ event }) => event),
          { sourceId, startsNothing: true },
        );
        counts.accepted += answer.accepted;
        counts.duplicates += answer.duplicates;
        for (const { index, problems } of answer.rejected) refuse(part[index]!.row, problems);
      }
    }
    tally.bad += bad.size;
    await saveBadRows(db, work.id, [...bad.values()]);
    if (tally.rows - said >= 5000) {
      said = tally.rows;
      await report({ done: tally.rows });
    }
  };

  try {
    const bytes = await openUpload(db, file);
    if (plan.format.kind === 'ndjson') {
      for await (const batch of ndjsonRows(bytes, plan.format.encoding)) {
        tally.rows += batch.length;
        const good = batch.filter((one) => one.value !== undefined);
        const broken = batch.filter((one) => one.value === undefined);
        tally.bad += broken.length;
        await saveBadRows(
          db,
          work.id,
          broken.map((one) => ({
            row: one.number,
            cells: [one.text.slice(0, 2000)],
            problems: [{ column: 'line', wrong: 'is not JSON', right: 'one CloudEvent a line' }],
          })),
        );
        await take(
          good.map((one) => ({ number: one.number, cells: [one.text.slice(0, 2000)], events: [one.value as Record<string, Value>] })),
        );
      }
    } else {
      for await (const batch of csvRows(bytes, plan.format)) {
        const rows: { number: number; cells: readonly string[]; events: readonly Record<string, Value>[] }[] = [];
        const bad: { row: number; cells: readonly string[]; problems: readonly object[] }[] = [];
        for (const { number, cells, isTooWide } of batch) {
          tally.rows += 1;
          noteValues(plan, tally, cells);
          const read = isTooWide
            ? TOO_WIDE
            : readEventRow(plan, cells, { source: fileSource(plan), storeCurrency: store.currency, rowNumber: number });
          if ('problems' in read) bad.push({ row: number, cells: cells.map((cell) => cell.slice(0, 2000)), problems: read.problems });
          else rows.push({ number, cells: cells.map((cell) => cell.slice(0, 2000)), events: read.record });
        }
        tally.bad += bad.length;
        await saveBadRows(db, work.id, bad);
        await take(rows);
      }
    }
    await report({ done: tally.rows, total: tally.rows });
  } catch (error) {
    // what cannot be read to its end, or was cancelled, leaves nothing behind
    if (!isDry) await takeEventsBack(db, sourceId);
    throw error;
  }
  if (!isDry) await saveWorkDetail(db, work.id, { sourceKey: key });
  return { says: 'Imported.', result: counts };
}

async function takeEventsBack(db: Db, sourceId: number): Promise<{ events: number; people: number }> {
  return inTransaction(db, async (trx) => {
    const store = await readStore(trx);
    const { events, personIds } = await undoEvents(trx, sourceId);
    // orders and credits are what the remaining events make of them
    await settleAnew(trx, personIds, store);
    await lookAt(trx, personIds, store.now);
    return { events, people: await removeEmpty(trx, personIds) };
  });
}

/** Takes an import back: people who came with it and have done nothing since, what it said of others, its events. */
export async function undoImport(context: Dispatch, work: WorkRow, by: string): Promise<Finished> {
  const { db } = context;
  const { plan, sourceKey } = work.detail as { plan: ImportPlan; sourceKey?: string };
  const store = await readStore(db);
  if (plan.kind === 'orders' || plan.kind === 'events') {
    const source = sourceKey ? await findSource(db, sourceKey) : null;
    const undone = source ? await takeEventsBack(db, source.id) : { events: 0, people: 0 };
    return { says: 'Undone.', result: { undone } };
  }
  const undone = await inTransaction(db, async (trx) => {
    const counts = await undoPeopleImport(trx, work.id, new Date(store.now), listHow(work.id), by);
    await recordAct(trx, store.now, by, 'import.undone', { work: work.id });
    return counts;
  });
  return { says: 'Undone.', result: { undone } };
}

/** The bad rows of an import as a CSV file: the row, what is wrong, the mend, and the cells as they were. */
export async function* badRowsFile(db: Db, work: WorkRow): AsyncGenerator<string> {
  yield csvRow(['Row', 'Column', 'What is wrong', 'What is right', 'Cells as they were']);
  for (let after = '0'; ;) {
    const rows = await badRows(db, work.id, after, 1000);
    if (!rows.length) return;
    after = rows.at(-1)!.row;
    yield rows
      .map((row) =>
        csvRow([
          Number(row.row),
          row.problems.map((one) => one.column).join('; '),
          row.problems.map((one) => `${one.column} ${one.wrong}`).join('; '),
          row.problems.map((one) => one.right).join('; '),
          ...row.cells,
        ]),
      )
      .join('');
  }
}

/** Removes the file of an import that is no longer needed. */
export async function forgetUpload(db: Db, key: string): Promise<void> {
  await deleteUpload(db, (await upload(db, key)).id);
}
