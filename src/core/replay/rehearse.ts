import { factsOf, type FactEvent, type KnownFacts, type Reach } from '../rules';
import { addDuration, type Instant } from '../time';
import { type CHANNELS, type Value } from '../rules';
import { CALL_ENDED, TASK_CLOSED, type MadeUp, type RehearsedPerson } from '../flows';
import type { Answered, ReplayedAsk, ReplayedSend } from './replay';

/** What is known of somebody made up: an address and consent on each channel, unless something else is said. */
export function knownOf({ attributes = {}, consent: said = {}, tags = [], lists = [], segments = [] }: MadeUp, now: Instant): KnownFacts {
  const own = { email: 'rehearsal@example.com', ...attributes };
  const reach = (channel: (typeof CHANNELS)[number], address: string): Reach => {
    const state = said[channel] ?? (channel === 'email' ? 'given' : 'unknown');
    return {
      hasAddress: typeof (own as Record<string, Value>)[address] === 'string',
      state,
      said: state === 'unknown' ? null : { at: now, how: 'rehearsal', place: null },
      suppressed: null,
      pausedUntil: null,
    };
  };
  const {
    personId: _,
    events: __,
    ...known
  } = factsOf('0', {
    attributes: own,
    tags,
    lists,
    segments,
    since: Object.fromEntries([
      ...tags.map((one) => [`tag/${one}`, now]),
      ...lists.map((one) => [`list/${one}`, now]),
      ...segments.map((one) => [`segment/${one}`, now]),
    ]),
    reach: { email: reach('email', 'email'), sms: reach('sms', 'phone'), push: reach('push', 'pushToken') },
  });
  return known;
}

/** The events of a rehearsal that begins at a moment, ascending. */
export function eventsOfRehearsal(given: RehearsedPerson['events'], now: Instant, zone: string, nextId: () => string): FactEvent[] {
  return given
    .map(({ at, after, type, data: properties = {} }) => ({
      type,
      time: at === undefined ? addDuration(now, after!, zone) : Date.parse(at),
      properties,
    }))
    .sort((a, b) => a.time - b.time)
    .map((event) => ({ ...event, id: nextId() }));
}

const SECOND = 1000;

/** What becomes of a message in a rehearsal: it is delivered, and opened and clicked where that is asked for. */
export function answersOf({ opens = [], clicks = [] }: RehearsedPerson, zone: string, nextId: () => string) {
  return (send: ReplayedSend): Answered => {
    const about = { sendId: send.id, flow: send.flowKey, step: send.effect.stepId, channel: send.effect.channel };
    const event = (type: string, time: Instant, more: { readonly [name: string]: Value } = {}): FactEvent => ({
      id: nextId(),
      type,
      time,
      properties: { ...about, ...more },
    });
    const mine = (list: typeof opens) => list.filter(({ step }) => step === send.effect.stepId);
    return {
      events: [
        event('message.delivered', send.at + SECOND),
        ...mine(opens).map(({ after }) => event('message.opened', addDuration(send.at, after, zone))),
        ...mine(clicks).flatMap(({ after, url }) => {
          const at = addDuration(send.at, after, zone);
          return [event('message.opened', at), event('message.clicked', at, { url: url ?? '' })];
        }),
      ],
    };
  };
}

/** What is answered outside in a rehearsal to what runs ask: what is said for the step, or nothing. */
export function outsideOf({ answers = [] }: RehearsedPerson, zone: string, nextId: () => string) {
  return ({ effect, at }: ReplayedAsk): Answered => ({
    events: answers
      .filter(({ step }) => step === effect.stepId)
      .map(({ after, ok, data: told = {} }): FactEvent => ({
        id: nextId(),
        time: addDuration(at, after, zone),
        ...(effect.kind === 'call'
          ? { type: CALL_ENDED, properties: { ...effect.about, ok, status: ok ? 200 : 500, answer: told } }
          : { type: TASK_CLOSED, properties: { ...effect.about, done: ok, ...told } }),
      })),
  });
}
