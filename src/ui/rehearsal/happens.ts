import type { FlowDocument, RehearsedPerson } from '@/core/flows';
import { sampleEvent } from '@/core/rehearsal';

/** Something that happens in a rehearsal, as it is written: its data as text, so that it can be wrong for a moment. */
export interface Happens {
  readonly type: string;
  readonly after: string;
  readonly data: string;
}

/** Somebody as the form has them. */
export interface Written {
  readonly id: string;
  readonly kind: 'madeUp' | 'onFile';
  readonly person: string;
  readonly attributes: string;
  readonly consent: 'given' | 'withdrawn' | 'unknown';
  readonly events: readonly Happens[];
  readonly opens: NonNullable<RehearsedPerson['opens']>;
  readonly clicks: NonNullable<RehearsedPerson['clicks']>;
  readonly answers: NonNullable<RehearsedPerson['answers']>;
}

const NAMES = ['Robin', 'Ada', 'Noor', 'Mats', 'Ilse', 'Teun'] as const;
export const MOST_PEOPLE = NAMES.length;

function sampleOf(document: FlowDocument, index: number): Happens {
  const { type, data } = sampleEvent(document, index);
  return { type, after: 'PT1M', data: JSON.stringify(data) };
}

/** Somebody new for a rehearsal of this flow. */
export const someoneNew = (document: FlowDocument, index: number): Written => ({
  id: `p${index + 1}`,
  kind: 'madeUp',
  person: '',
  attributes: JSON.stringify({ firstName: NAMES[index], country: 'NL' }).replaceAll('":', '": ').replaceAll(',"', ', "'),
  consent: 'given',
  events: [sampleOf(document, index)],
  opens: [],
  clicks: [],
  answers: [],
});

/** Reads an object of JSON; null for anything else. */
export function readObject(text: string): Record<string, never> | null {
  try {
    const value: unknown = JSON.parse(text.trim() || '{}');
    return value !== null && typeof value === 'object' && !Array.isArray(value) ? (value as Record<string, never>) : null;
  } catch {
    return null;
  }
}

/** What somebody is called: by their first name, or as they are on file. */
export const nameOf = (one: Written, index: number): string => {
  if (one.kind === 'onFile') return one.person || `Person ${index + 1}`;
  const name = readObject(one.attributes)?.firstName as unknown;
  return typeof name === 'string' && name ? name : `Person ${index + 1}`;
};

/** Somebody as the engine takes them; null as long as something written cannot be read. */
export function readWritten(one: Written): RehearsedPerson | null {
  const events = one.events.map(({ type, after, data }) => ({ type: type.trim(), after, data: readObject(data) }));
  const attributes = readObject(one.attributes);
  if (events.some(({ type, data }) => !type || !data) || (one.kind === 'madeUp' ? !attributes : !one.person.trim())) return null;
  return {
    ...(one.kind === 'onFile' ? { person: one.person.trim() } : { madeUp: { attributes: attributes!, consent: { email: one.consent } } }),
    events: events as RehearsedPerson['events'],
    ...(one.opens.length && { opens: [...one.opens] }),
    ...(one.clicks.length && { clicks: [...one.clicks] }),
    ...(one.answers.length && { answers: [...one.answers] }),
  };
}

/** A length in milliseconds as a duration to the second, never no time. */
export const secondsOf = (ms: number): string => `PT${Math.max(1, Math.round(ms / 1000))}S`;
