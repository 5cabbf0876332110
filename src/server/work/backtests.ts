import * as z from 'zod';
import type { BacktestView } from '@/core/api';
import { flowSchema, leadOf, placesOf, type FlowDocument } from '@/core/flows';
import { answersAsAssumed, BacktestTally, idsAboveAll, replayPerson, type Assumed, type ReplayFlow } from '@/core/replay';
import { DAY, HOUR, type Instant } from '@/core/time';
import type { Db } from '@/data/db';
import { doneBy, findFlow, recordedPeople } from '@/data/flows';
import { calledBy, countPeople } from '@/data/people';
import { changesBetween } from '@/data/products';
import { readStore } from '@/data/store';
import type { WorkRow } from '@/data/work';
import { Problem, problemsOf } from '../http';
import type { Dispatch } from '../messages';
import { nameOf } from '../people';
import { startWork, type Finished, type Report } from './start';
import { documentOf } from '../rehearsal';

const share = z.number().min(0).max(100);
const backtestInput = z.strictObject({
  from: z.iso.datetime({ offset: true }),
  to: z.iso.datetime({ offset: true }),
  document: z.unknown().optional(),
  version: z.int().min(1).optional(),
  /** what people do with the messages, in per cent of those they get, and what an order is worth */
  assume: z.strictObject({ open: share, click: share, order: share, value: z.number().min(0).max(1e9) }).optional(),
});

/** The longest stretch of history that is played at once. */
const LONGEST_MS = 800 * DAY;

/** Puts a backtest in: a flow over what really happened between two moments. Answers with the number of the work. */
export async function startBacktest(db: Db, key: string, body: unknown, by: string): Promise<{ id: string }> {
  const parsed = backtestInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a backtest', 'Nothing was begun.', problemsOf(parsed.error));
  const { from, to, assume } = parsed.data;
  const { now } = await readStore(db);
  const [begins, ends] = [Date.parse(from), Date.parse(to)];
  if (begins >= ends || ends > now || ends - begins > LONGEST_MS)
    throw new Problem(422, 'Not a backtest', 'Nothing was begun.', [
      {
        field: begins >= ends ? 'to' : ends > now ? 'to' : 'from',
        wrong: begins >= ends ? 'is not after from' : ends > now ? 'is still to come' : 'is more than 800 days before to',
        right: `a time that has gone by, at most 800 days long, such as up to ${new Date(now).toISOString()}`,
      },
    ]);
  const document = await documentOf(db, key, parsed.data);
  const id = await startWork(db, {
    kind: 'backtest',
    name: document.name,
    detail: { key, document, from: begins, to: ends, assume: assume ?? null },
    by,
  });
  return { id };
}

/** How many people are named at once. */
const NAMED_AT_ONCE = 100;

/** What those are called whom a backtest names by number: `1,2,3`. Who is not on file any more is left out. */
export async function namedInBacktest(db: Db, numbers: string): Promise<{ person: string; name: string }[]> {
  const ids = numbers.split(',').filter((one) => /^\d{1,18}$/.test(one));
  const known = await calledBy(db, ids.slice(0, NAMED_AT_ONCE));
  return ids.flatMap((person) => {
    const attributes = known.get(person);
    if (!attributes) return [];
    const { email } = attributes;
    return [{ person, name: nameOf(attributes) ?? (typeof email === 'string' ? email : `~${person}`) }];
  });
}

interface Detail {
  readonly key: string;
  readonly document: FlowDocument;
  readonly from: Instant;
  readonly to: Instant;
  readonly assume: Assumed | null;
}

/** Plays a flow over history, person by person as they were, and counts what comes of it. Nothing is stored but the counts. */
export async function runBacktest({ db }: Pick<Dispatch, 'db'>, work: WorkRow, report: Report): Promise<Finished> {
  const { key, from, to, assume, ...rest } = work.detail as unknown as Detail;
  const document = flowSchema.parse(rest.document);
  const store = await readStore(db);
  // what had begun by then, and came about after, enters too; months and clock changes make a lead longer
  const starts = from - 1.1 * leadOf(document) - HOUR;
  const { zone, world, limits, offers, tables } = store;
  const products = document.triggers.some(({ kind }) => kind === 'product') ? await changesBetween(db, starts, to) : [];
  const flow: ReplayFlow = {
    key,
    document,
    isOn: true,
    zone,
    world,
    limits,
    offers,
    tables,
    from: starts,
    enters: from,
    products,
    places: placesOf(document, zone, new Map()),
  };
  const tally = new BacktestTally(flow, store.currency, from);
  let done = 0;
  const nextId = idsAboveAll();
  const react = assume ? answersAsAssumed(assume, store.currency, nextId) : undefined;
  await report({ done, total: await countPeople(db, { words: null, rule: null, insideFlow: null }), says: 'Playing history' });
  for await (const { person, events, earlier } of recordedPeople(db, [flow], starts, from)) {
    tally.add(replayPerson([flow], person, events, to, nextId, react, { earlier }));
    done += 1;
    if (done % 500 === 0) await report({ done });
  }
  await report({ done, total: done });
  const row = await findFlow(db, key);
  const result: BacktestView = { ...tally.view(done), compared: row?.version ? await doneBy(db, row.id, from, to) : null, assumed: assume };
  const sayNumber = (n: number) => n.toLocaleString('en-IE');
  const entered = `${sayNumber(result.entered)} ${result.entered === 1 ? 'run' : 'runs'}`;
  return { says: `${entered} would have entered, of ${sayNumber(done)} ${done === 1 ? 'person' : 'people'}`, result };
}
