import { flowSchema, type FlowDocument, type SendStep, type Step, type Trial } from '../flows';
import { MESSAGE_SENT } from '../limits';
import type { Rule } from '../rules';

/** A message of a broadcast, beside its id: the step of it. */
export type Letter = Omit<SendStep, 'id' | 'kind'>;

/** One of the messages that a broadcast tries, or the only one. */
export interface Content {
  /** the id of its step */
  readonly id: string;
  readonly letter: Letter;
}

/** The message once more to those who did not open it, or not click in it. */
export interface Again {
  readonly unless: 'opened' | 'clicked';
  readonly after: string;
  /** whoever has ordered meanwhile does not get it */
  readonly exceptBought: boolean;
  readonly letter: Letter;
}

/**
 * What the screen of a broadcast asks: who, what and when. It is another form of a flow's document, made by {@link documentOf} and read
 * back by {@link broadcastOf}; nothing of it is stored by itself.
 */
export interface Broadcast {
  /** whoever any of these rules holds of; everybody where there are none */
  readonly to: readonly Rule[];
  /** and none of these */
  readonly without: readonly Rule[];
  /** by the clocks of the store, or of each person: once, or as a recurrence of RFC 5545 comes round */
  readonly when: { readonly starts: string; readonly rule: string | null; readonly clocks?: 'person' };
  /** all at that moment, spread over a while, or each at the hour of the day at which they mostly open */
  readonly pace: { readonly over: string } | { readonly otherwise: string } | null;
  /** one message, or several of which each person gets one by lot */
  readonly contents: readonly Content[];
  /** several messages: tried on a part first, or on everybody where it is null */
  readonly trial: Trial | null;
  /** of a trial that is decided: which message all others get, and since when */
  readonly won: { readonly arm: string; readonly at: string } | null;
  readonly again: Again | null;
  /** only when a feed has news */
  readonly news: { readonly feed: string; readonly atLeast: number } | null;
  /** how long after it orders count as reached by it */
  readonly within: string;
}

/** The most messages that a broadcast tries. */
export const MOST_CONTENTS = 6;
/** Shares in a test are whole numbers; so many of them are as many people. */
const EVEN = 100;

const IDS = { when: 'when', pace: 'pace', test: 'test', later: 'later', who: 'again-to', yes: 'again-yes', no: 'again-no', again: 'again' };
const armId = (content: string) => `arm-${content}`;

/** The event of a person's by which is told that they did something with a message of a flow. */
const ofFlow = (event: string, flow: string, test: 'did' | 'didNot'): Rule => ({
  test,
  event,
  where: [{ property: 'flow', op: 'is', value: flow }],
  since: 'entry',
});

/** Whom a broadcast is for, as one rule; everybody where it is null. */
export const whoRule = ({ to, without }: Pick<Broadcast, 'to' | 'without'>): Rule | null => {
  const parts: Rule[] = [...(to.length ? [{ any: [...to] }] : []), ...(without.length ? [{ none: [...without] }] : [])];
  return parts.length ? { all: parts } : null;
};

const sendOf = (id: string, letter: Letter): SendStep => ({ id, kind: 'send', ...letter });
const letterOf = ({ id: _, kind: __, ...letter }: SendStep): Letter => letter;

function paceOf(pace: Broadcast['pace']): Step[] {
  if (!pace) return [];
  return [
    'over' in pace
      ? { id: IDS.pace, kind: 'wait', for: pace.over, spread: true }
      : { id: IDS.pace, kind: 'wait', best: { otherwise: pace.otherwise } },
  ];
}

function contentsOf({ contents, trial, won }: Broadcast): Step[] {
  const [only] = contents;
  if (contents.length === 1) return [sendOf(only!.id, only!.letter)];
  return [
    {
      id: IDS.test,
      kind: 'test',
      name: 'Which message',
      per: 'person',
      arms: contents.map(({ id, letter }) => ({ id: armId(id), name: letter.name, when: null, share: EVEN, steps: [sendOf(id, letter)] })),
      ...(trial && { trial }),
      ...(won && { won: { ...won, arm: armId(won.arm) } }),
    },
  ];
}

function againOf(again: Again | null, flow: string): Step[] {
  if (!again) return [];
  const rules: Rule[] = [
    ofFlow(MESSAGE_SENT, flow, 'did'),
    ofFlow(again.unless === 'opened' ? 'message.opened' : 'message.clicked', flow, 'didNot'),
    ...(again.exceptBought ? [{ test: 'didNot', event: 'order.placed', since: 'entry' } satisfies Rule] : []),
  ];
  return [
    { id: IDS.later, kind: 'wait', for: again.after },
    {
      id: IDS.who,
      kind: 'branch',
      name: 'Once more',
      arms: [
        {
          id: IDS.yes,
          name: again.unless === 'opened' ? 'Not opened' : 'Not clicked',
          when: { all: rules },
          steps: [sendOf(IDS.again, again.letter)],
        },
        { id: IDS.no, name: 'Everyone else', when: null, steps: [] },
      ],
    },
  ];
}

/** The flow that does what a broadcast says, under its key; what the flow has beside that stays. */
export function documentOf(broadcast: Broadcast, key: string, base: Pick<FlowDocument, 'name'> & Partial<FlowDocument>): FlowDocument {
  const { when, news } = broadcast;
  const kept = Object.fromEntries(
    (['name', 'description', 'tags', 'owner', 'stage', 'control', 'priority', 'checks', 'accepted'] as const).flatMap((field) =>
      base[field] === undefined ? [] : [[field, base[field]]],
    ),
  );
  return {
    schema: 'viatic.flow/1',
    name: base.name,
    ...kept,
    as: 'broadcast',
    triggers: [
      {
        id: IDS.when,
        kind: 'schedule',
        event: 'flow.due',
        key: 'occasion',
        ...(when.clocks && { clocks: when.clocks }),
        starts: when.starts,
        rule: when.rule,
        who: whoRule(broadcast),
        ...(news && { news }),
      },
    ],
    entry: null,
    stay: null,
    // planned anew, it goes to those who have not had it yet; one that comes round goes to everybody each time
    reentry: when.rule === null ? 'once' : 'once-per-key',
    goal: { event: 'order.placed', within: broadcast.within, ends: false },
    steps: [...paceOf(broadcast.pace), ...contentsOf(broadcast), ...againOf(broadcast.again, key)],
  };
}

/** A new broadcast: an email of no words yet, to everybody who may get it, at a moment. */
export const freshBroadcast = (starts: string, letter: Letter): Broadcast => ({
  to: [],
  without: [],
  when: { starts, rule: null },
  pace: null,
  contents: [{ id: 'message', letter }],
  trial: null,
  won: null,
  again: null,
  news: null,
  within: 'P5D',
});

const partsIn = (rule: Rule | undefined, of: 'any' | 'none'): readonly Rule[] | null =>
  rule && 'any' in rule && of === 'any' ? rule.any : rule && 'none' in rule && of === 'none' ? rule.none : null;

/** What a flow says as a broadcast; null where it says more than such a screen can show, since it was changed as a flow. */
export function broadcastOf(document: FlowDocument, key: string): Broadcast | null {
  const read = looselyRead(document);
  if (!read) return null;
  const same = (one: FlowDocument) => JSON.stringify(inOrder(flowSchema.parse(one)));
  try {
    return same(documentOf(read, key, document)) === same(document) ? read : null;
  } catch {
    return null;
  }
}

function looselyRead({ as, triggers, goal, steps }: FlowDocument): Broadcast | null {
  const [trigger] = triggers;
  if (as !== 'broadcast' || triggers.length !== 1 || trigger?.kind !== 'schedule' || !goal || !('event' in goal)) return null;
  const parts = trigger.who && 'all' in trigger.who ? trigger.who.all : [];
  const by = (id: string) => steps.find((step) => step.id === id);
  const [pace, test, later, again] = [by(IDS.pace), by(IDS.test), by(IDS.later), by(IDS.who)];
  const contents =
    test?.kind === 'test'
      ? test.arms.flatMap((arm) => arm.steps.filter((step): step is SendStep => step.kind === 'send'))
      : steps.filter((step): step is SendStep => step.kind === 'send');
  if (!contents.length) return null;
  const yes = again?.kind === 'branch' ? again.arms[0]! : null;
  const rules = yes?.when && 'all' in yes.when ? yes.when.all : [];
  const asksFor = (event: string) => rules.some((rule) => 'event' in rule && rule.event === event);
  const [resent] = yes?.steps ?? [];
  return {
    to: parts.map((part) => partsIn(part, 'any')).find(Boolean) ?? [],
    without: parts.map((part) => partsIn(part, 'none')).find(Boolean) ?? [],
    when: { starts: trigger.starts, rule: trigger.rule, ...(trigger.clocks && { clocks: trigger.clocks }) },
    pace: pace?.kind !== 'wait' ? null : pace.best ? { otherwise: pace.best.otherwise } : { over: pace.for ?? '' },
    contents: contents.map((step) => ({ id: step.id, letter: letterOf(step) })),
    trial: test?.kind === 'test' ? (test.trial ?? null) : null,
    won: test?.kind === 'test' && test.won ? { ...test.won, arm: test.won.arm.replace(/^arm-/, '') } : null,
    again:
      later?.kind === 'wait' && resent?.kind === 'send'
        ? {
            unless: asksFor('message.clicked') ? 'clicked' : 'opened',
            after: later.for ?? '',
            exceptBought: asksFor('order.placed'),
            letter: letterOf(resent),
          }
        : null,
    news: trigger.news ?? null,
    within: goal.within,
  };
}

/** The same value with the fields of everything in one order, so that two can be held against each other as texts. */
function inOrder(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(inOrder);
  if (value === null || typeof value !== 'object') return value;
  return Object.fromEntries(
    Object.entries(value)
      .filter(([, one]) => one !== undefined)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, one]) => [name, inOrder(one)]),
  );
}

/** The id of the step that sends the message once more. */
export const AGAIN_STEP = IDS.again;

/** An id for another message of a broadcast. */
export function freeContentId(contents: readonly Content[]): string {
  let id = 'message';
  for (let n = 2; contents.some((one) => one.id === id); n++) id = `message-${n}`;
  return id;
}
