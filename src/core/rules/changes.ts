import type { Instant } from '../time';
import { CHANNELS, type Channel } from './channel';
import { ADDRESS_ATTRIBUTE, addressOf, type Facts } from './facts';
import { signalOf } from './needs';
import type { Value } from './value';

/** What can be known of a person beside what happened, and changes. */
export const FACT_KINDS = ['attribute', 'consent', 'suppression', 'pause', 'topic', 'tag', 'list', 'segment'] as const;
export type FactKind = (typeof FACT_KINDS)[number];

/**
 * One change of what is known of somebody: the fact by kind and name, what it was and what it is. Null stands for nothing.
 * `attribute`: its value. `consent` by channel: its state, how, where and when it was said; given or withdrawn alone where that
 * was not written down. `suppression` by channel: the reason. `pause`: until when,
 * in milliseconds. `topic`: true while declined. `tag`, `list`, `segment`: since when, in milliseconds, while on it; true where
 * that was not written down.
 */
export interface FactChange {
  readonly kind: FactKind;
  readonly name: string;
  readonly was: Value;
  readonly is: Value;
  readonly at: Instant;
}

/** What is known of somebody beside what happened. */
export type KnownFacts = Omit<Facts, 'personId' | 'events'>;

/** What is known after a change. */
export const withChange = (known: KnownFacts, change: FactChange): KnownFacts => {
  const after = withFact(known, change, change.is);
  const { kind, name, was, is, at } = change;
  return kind === 'attribute' ? { ...after, changes: [...known.changes, { name, was, is, at }] } : after;
};

/** What was known before a change. */
export const withoutChange = (known: KnownFacts, change: FactChange): KnownFacts => {
  const before = withFact(known, change, change.was);
  const { kind, name, at } = change;
  return kind === 'attribute' ? { ...before, changes: known.changes.filter((one) => !(one.name === name && one.at === at)) } : before;
};

function withFact(known: KnownFacts, { kind, name, at }: FactChange, value: Value): KnownFacts {
  const since = (): KnownFacts['since'] => {
    const { [`${kind}/${name}`]: _, ...others } = known.since;
    return value === null ? others : { ...others, [`${kind}/${name}`]: typeof value === 'number' ? value : at };
  };
  const member = (list: readonly string[]) =>
    value === null ? list.filter((one) => one !== name) : list.includes(name) ? list : [...list, name];
  const reach = (of: (channel: Channel) => Partial<Facts['reach'][Channel]>): KnownFacts => ({
    ...known,
    reach: {
      email: { ...known.reach.email, ...of('email') },
      sms: { ...known.reach.sms, ...of('sms') },
      push: { ...known.reach.push, ...of('push') },
    },
  });
  switch (kind) {
    case 'attribute': {
      const { [name]: _, ...others } = known.attributes;
      const attributes = value === null ? others : { ...others, [name]: value };
      const isAddress = (channel: Channel) => ADDRESS_ATTRIBUTE[channel] === name;
      return { ...reach((channel) => (isAddress(channel) ? { hasAddress: addressOf(channel, attributes) !== null } : {})), attributes };
    }
    case 'consent':
      return reach((channel) => (channel === name ? consentOf(value, at) : {}));
    case 'suppression':
      return reach((channel) => (channel === name ? { suppressed: typeof value === 'string' ? value : null } : {}));
    case 'pause':
      return reach(() => ({ pausedUntil: typeof value === 'number' ? value : null }));
    case 'topic':
      return { ...known, declined: member(known.declined) };
    case 'tag':
      return { ...known, tags: member(known.tags), since: since() };
    case 'list':
      return { ...known, lists: member(known.lists), since: since() };
    case 'segment':
      return { ...known, segments: member(known.segments), since: since() };
  }
}

/** A consent as its history has it. */
function consentOf(value: Value, at: Instant): Pick<Facts['reach'][Channel], 'state' | 'said'> {
  const told = (value !== null && typeof value === 'object' ? value : { state: value }) as { readonly [name: string]: Value | undefined };
  const text = (one: Value | undefined) => (typeof one === 'string' && one !== '' ? one : null);
  const { state } = told;
  if (state !== 'given' && state !== 'withdrawn') return { state: 'unknown', said: null };
  return { state, said: { at: typeof told.at === 'number' ? told.at : at, how: text(told.how), place: text(told.place) } };
}

/** Which signals a change sends: whoever waits for one of them looks again. */
export function signalsOf({ kind, name }: Pick<FactChange, 'kind' | 'name'>): string[] {
  switch (kind) {
    // an address is an attribute, too
    case 'attribute':
      return [
        signalOf('attribute', name),
        ...CHANNELS.filter((channel) => ADDRESS_ATTRIBUTE[channel] === name).map((channel) => signalOf('reach', channel)),
      ];
    case 'consent':
    case 'suppression':
      return [signalOf('reach', name)];
    case 'pause':
      return CHANNELS.map((channel) => signalOf('reach', channel));
    case 'topic':
      return [signalOf('topic', name)];
    case 'tag':
      return [signalOf('tag', name)];
    case 'list':
      return [signalOf('list', name)];
    case 'segment':
      return [signalOf('segment', name)];
  }
}
