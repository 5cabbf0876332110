import type { Finding, FlowDocument, RunningFlow } from '../flows';
import { planOf, sayStep } from '../flows';
import { addDuration, type Instant } from '../time';
import { answersOf, eventsOfRehearsal, knownOf, outsideOf } from './rehearse';
import { idsAboveAll, replayPerson } from './replay';

/** How long somebody is followed after the last that happens to them, and how often their runs are moved at most. */
const FOLLOWED = 'P120D';
const MOST_MOVES = 500;

/** What came of a check. */
export interface Checked {
  readonly name: string;
  readonly isWell: boolean;
  /** what came instead of what was expected */
  readonly says: string;
}

/**
 * Sends the people of a flow's checks through it, from a moment on, and compares what comes of it. Limits of the store are
 * left aside, and so is a control group: a check is about those who get something.
 */
export function runChecks(flow: Pick<RunningFlow, 'key' | 'document' | 'zone' | 'world' | 'offers' | 'tables'>, now: Instant): Checked[] {
  const { control: _, ...document } = flow.document;
  return (document.checks ?? []).map((check): Checked => {
    const nextId = idsAboveAll();
    const given = { ...check, events: check.events };
    const events = eventsOfRehearsal(given.events, now, flow.zone, nextId).filter((event) => event.time >= now);
    const until = addDuration(events.at(-1)?.time ?? now, check.follow ?? FOLLOWED, flow.zone);
    const replayed = replayPerson(
      [{ ...flow, document, isOn: true, limits: null, from: now }],
      { id: '0', known: knownOf(check.madeUp ?? {}, now), changes: [] },
      events,
      until,
      nextId,
      answersOf(given, flow.zone, nextId),
      { most: MOST_MOVES, answer: outsideOf(given, flow.zone, nextId) },
    );
    const sent = replayed.sends.map(({ effect }) => effect.stepId);
    const reached = replayed.runs.some(({ run }) => run.goalAt !== null);
    const { sends, goal } = check.expects;
    const problems = [
      ...(JSON.stringify(sent) === JSON.stringify(sends)
        ? []
        : [`gets ${sayMessages(document, sent)}, not ${sayMessages(document, sends)}`]),
      ...(goal === undefined || goal === reached ? [] : [reached ? 'reaches the goal' : 'does not reach the goal']),
    ];
    return { name: check.name, isWell: !problems.length, says: problems.join(', and ') };
  });
}

function sayMessages(document: FlowDocument, ids: readonly string[]): string {
  const { steps } = planOf(document);
  const names = ids.map((id) => {
    const step = steps.get(id);
    return step ? ('name' in step ? `“${step.name}”` : sayStep(step)) : id;
  });
  return names.length ? names.join(', then ') : 'nothing';
}

/** The checks that do not come out as expected, as findings of the preflight. */
export const failedChecks = (checked: readonly Checked[]): Finding[] =>
  checked
    .filter(({ isWell }) => !isWell)
    .map(({ name, says }) => ({
      code: 'check-failed',
      level: 'stops',
      stepId: null,
      says: `The check “${name}” fails: they ${says
        .replace(/^gets/, 'get')
        .replace(/(^|and )reaches/, '$1reach')
        .replace(/(^|and )does not/, '$1do not')}`,
      mend: 'Mend the flow, or change the check where something else is meant now.',
    }));
