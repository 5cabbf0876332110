import type { AttentionView, TodayView } from '@/core/api';
import { nextMessageAfter, planOf, stepsOf } from '@/core/flows';
import { HOUR, startOfDay, subtractDuration, type Instant } from '@/core/time';
import type { Db } from '@/data/db';
import { documentsNow, readVersion } from '@/data/flows';
import { MOST_DIFFERENCES, revenueTotals } from '@/data/revenue';
import { readStore, type StoreNow } from '@/data/store';
import { findStuckLoop } from '@/data/work';
import {
  actsSince,
  boardOf,
  everHappened,
  flowRates,
  mailHealth,
  silentSources,
  trialsThatAsk,
  troubles,
  type BoardRow,
} from '@/data/today';
import { offers } from '../offers';
import { ledgerStanding, recoveryFalls, testViews } from '../revenue';

/** How far back the board shows what has gone, and how far ahead what is due. */
const GONE_MS = 3 * HOUR;
const AHEAD_MS = 48 * HOUR;

/** Where the day starts: takings against the same day of last week, what goes out, and what needs attention, each with its act. */
export async function today(db: Db, since: Instant | null, who: string): Promise<TodayView> {
  const store = await readStore(db);
  const { now, zone, currency, revenue } = store;
  const begins = startOfDay(now, zone);
  const aWeekAgo = (at: Instant) => subtractDuration(at, 'P7D', zone);
  const totals = async (from: Instant, to: Instant) => {
    const own = (await revenueTotals(db, from, to, revenue.model)).find((row) => row.currency === currency);
    return { takings: Number(own?.takings ?? 0), credited: Number(own?.credited ?? 0), orders: own?.orders ?? 0 };
  };
  const [is, was, rows, attention, first, acts] = await Promise.all([
    totals(begins, now),
    totals(aWeekAgo(begins), aWeekAgo(now)),
    boardOf(db, now - GONE_MS, now, now + AHEAD_MS),
    attentionOf(db, store),
    firstSteps(db),
    since === null ? [] : actsSince(db, since, who),
  ]);
  const board = await Promise.all(rows.map((row) => lineOf(db, row)));
  return {
    now: new Date(now).toISOString(),
    currency,
    today: is,
    lastWeek: was,
    // what waits for nothing that goes out is no departure
    board: together(board.flatMap((line) => (line ? [line] : []))),
    attention,
    first,
    since: acts.map(({ at, actor, what, detail }) => ({ at: at.toISOString(), actor, says: sayAct(what, detail) })),
  };
}

const FIRST = ['events', 'flow', 'entered', 'sent', 'order'] as const;

/** With what a store begins, each done once it has really happened; null once all has. */
async function firstSteps(db: Db): Promise<TodayView['first']> {
  const happened = await everHappened(db);
  return FIRST.every((step) => happened[step]) ? null : FIRST.map((step) => ({ step, isDone: happened[step] }));
}

type BoardLine = TodayView['board'][number];
const STATES: readonly BoardLine['state'][] = ['gone', 'held', 'due'];

/** Lines of one message in one hour as one: several waits, and several versions of a flow, lead to the same message. */
function together(lines: readonly BoardLine[]): BoardLine[] {
  const found = new Map<string, BoardLine>();
  for (const line of lines) {
    const key = JSON.stringify([line.hour, line.flow.key, line.message, line.state]);
    found.set(key, { ...line, people: line.people + (found.get(key)?.people ?? 0) });
  }
  return [...found.values()].sort((a, b) => a.hour.localeCompare(b.hour) || STATES.indexOf(a.state) - STATES.indexOf(b.state));
}

/** A line of the board: which message goes out, or null where no message follows. */
async function lineOf(db: Db, row: BoardRow): Promise<TodayView['board'][number] | null> {
  const document = await readVersion(db, row.flow_id, row.version);
  const step = planOf(document).steps.get(row.step);
  const message = row.state === 'due' ? nextMessageAfter(document, row.step) : step && 'name' in step ? step.name : row.step;
  if (message === null) return null;
  return { hour: row.hour.toISOString(), flow: { key: row.flow, name: row.name }, message, people: row.people, state: row.state };
}

/** Shares of bounced mail and of complaints above which mail servers commonly begin to refuse (common practice: 2 % and 1 in 1,000). */
const MOST_BOUNCED = 0.02;
const MOST_COMPLAINED = 0.001;
/** Of so many mails at least anything is said. */
const FEWEST_MAILS = 200;

const percent = (share: number): string => `${Math.round(share * 1000) / 10} %`;
const many = (count: number, one: string, more: string): string => `${count.toLocaleString('en-IE')} ${count === 1 ? one : more}`;

/** What needs somebody, each with its reason in numbers and one act; the gravest first. Empty when all is well. */
async function attentionOf(db: Db, store: StoreNow): Promise<AttentionView[]> {
  const { now } = store;
  const [documents, rates, mail, silent, trouble, standing, { tests }, all, carts, asking, stuck] = await Promise.all([
    documentsNow(db),
    flowRates(db, now),
    mailHealth(db, now),
    silentSources(db, now),
    troubles(db, now),
    ledgerStanding(db),
    testViews(db),
    offers(db),
    recoveryFalls(db, store),
    trialsThatAsk(db),
    findStuckLoop(db),
  ]);
  const found: AttentionView[] = [];
  const add = (level: AttentionView['level'], key: string, says: string, act: string, href: string) =>
    found.push({ level, key, says, act, href });
  if (stuck)
    add(
      'stop',
      'run-loop',
      `Flows have stopped: ${many(stuck.failures, 'attempt', 'attempts')} in a row to move people failed (${stuck.error.slice(0, 120)}).`,
      'Open flows',
      '/flows',
    );
  for (const { flow, name, many: runs } of trouble.broken)
    add(
      'stop',
      `broken/${flow}`,
      `${many(runs, 'person is', 'people are')} set aside in “${name}”, since their next step fails.`,
      'Look at them',
      `/flows/${flow}`,
    );
  for (const { flow, name, is_broadcast: isBroadcast, waiting } of asking)
    add(
      'caution',
      `asks/${flow}`,
      `No message of “${name}” is a clear winner: ${many(waiting, 'person waits', 'people wait')} until you choose one.`,
      'Choose',
      isBroadcast ? `/broadcasts/${flow}` : `/flows/${flow}`,
    );
  if (standing.check?.differences)
    add(
      'stop',
      'ledger',
      `The ledger does not add up: ${many(standing.check.differences, 'difference', 'differences')}${
        standing.check.differences >= MOST_DIFFERENCES ? ' or more' : ''
      } at its last check.`,
      'Open the ledger',
      '/revenue',
    );
  for (const { key, name, last_at: last, usual } of silent)
    add(
      'stop',
      `silent/${key}`,
      `“${name}” has told nothing for ${many(Math.round((now - last.getTime()) / HOUR), 'hour', 'hours')}; ` +
        `it tells about ${Math.round(usual).toLocaleString('en-IE')} events a day.`,
      'Look at the source',
      '/data',
    );
  if (mail.sent >= FEWEST_MAILS && mail.bounced / mail.sent > MOST_BOUNCED)
    add(
      'stop',
      'bounces',
      `${percent(mail.bounced / mail.sent)} of the mail of a week bounced (${many(mail.bounced, 'mail', 'mails')}); ` +
        `above ${percent(MOST_BOUNCED)} servers begin to refuse.`,
      'See who',
      '/people',
    );
  if (mail.sent >= FEWEST_MAILS && mail.complained / mail.sent > MOST_COMPLAINED)
    add(
      'stop',
      'complaints',
      `${many(mail.complained, 'person', 'people')} called mail of a week unwanted: more than 1 in 1,000.`,
      'Look at limits',
      '/settings/sending',
    );
  for (const { flow, name, many: calls, error } of trouble.calls)
    add(
      'caution',
      `calls/${flow}`,
      `${many(calls, 'call', 'calls')} of “${name}” failed within a day${error ? `: ${error.slice(0, 120)}` : ''}.`,
      'Look at the calls',
      '/settings/calls',
    );
  for (const { key, name, state, document } of documents) {
    if (state !== 'on') continue;
    for (const step of stepsOf(document))
      if (step.kind === 'send' && step.off)
        add(
          'caution',
          `off/${key}/${step.id}`,
          `“${name}” is on, but its message “${step.name}” is still off: people pass by without it.`,
          'Switch it on',
          `/flows/${key}`,
        );
  }
  for (const { flow, name, week, before, days } of rates) {
    // against its own history, of ten days at least: counts vary by about their root, here by four times that
    const expected = days >= 10 ? (before / days) * 7 : 0;
    if (expected < 10) continue;
    if (Math.abs(week - expected) > 4 * Math.sqrt(expected) && (week < expected * 0.6 || week > expected * 1.6))
      add(
        'caution',
        `rate/${flow}`,
        `${many(week, 'person', 'people')} entered “${name}” in a week, where about ${Math.round(expected).toLocaleString('en-IE')} do.`,
        'See why',
        `/flows/${flow}`,
      );
  }
  for (const test of tests)
    if (test.ahead !== null && test.decidedAt === null)
      add('note', `test/${test.flow.key}/${test.step}`, test.says, 'Keep the winner', '/revenue/tests');
  for (const offer of all.offers)
    if (!offer.isArchived && offer.isOver !== null && offer.flows.some(({ isOn }) => isOn))
      add(
        'caution',
        `offer/${offer.key}`,
        `“${offer.name}” has ended, and ${many(offer.flows.filter(({ isOn }) => isOn).length, 'flow', 'flows')} would still issue it.`,
        'Change the offer',
        `/offers/${offer.key}`,
      );
  if (carts) {
    const [is, was] = [carts.is, carts.was].map(({ count, of }) => percent(count / of));
    add(
      'caution',
      'carts',
      `Fewer left carts come back: ${is} of two weeks, ${was} of the eight before.`,
      'Look at the carts',
      '/revenue/carts',
    );
  }
  if (trouble.tasks)
    add('note', 'tasks', `${many(trouble.tasks, 'task waits', 'tasks wait')} for somebody.`, 'Open the tasks', '/people/tasks');
  const order = { stop: 0, caution: 1, note: 2 } as const;
  return found.sort((a, b) => order[a.level] - order[b.level]);
}

/** What somebody did, in words. */
function sayAct(what: string, detail: { readonly [name: string]: unknown }): string {
  const key = typeof detail.key === 'string' ? ` “${detail.key}”` : '';
  const words: { readonly [what: string]: string } = {
    'flow.published': `published${key}`,
    'flow.paused': `paused${key}`,
    'flow.resumed': `resumed${key}`,
    'test.decided': `decided a test in${key}`,
    'offer.stored': `changed the offer${key}`,
    'revenue.changed': 'changed how revenue is counted',
    'limits.changed': 'changed the limits of sending',
    'people.merged': 'merged two people',
    'people.unmerged': 'took two people apart again',
    'bulk.done': 'changed many people at once',
    'bulk.undone': 'took back a change of many people',
    'import.done': 'loaded a file of people or events',
    'import.undone': 'took a loaded file back',
    'sender.warm': `ended the warm-up of the sender${key}`,
    'clock.moved': 'moved the store’s time on',
    'codes.hook': 'changed where codes are told',
    'run.moved': 'moved somebody within a flow',
    'run.ended': 'took somebody out of a flow',
  };
  const [noun = '', verb = ''] = what.replaceAll('-', ' ').split('.');
  return words[what] ?? `${verb.replace('stored', 'saved')} the ${noun}${key}`;
}
