import * as z from 'zod';
import { dayNumber } from '../../time';
import { propertyName, sayName, sayValue, valueAt, type FactChange, type Facts, type Value } from '../../rules';
import { rowKeyOf } from '../../tables';
import { name, stepId } from '../parts';
import { UPDATED_BY, type Updated } from '../run';
import { boundTo } from './asked';
import type { Here, StepKind } from './kind';
import { hopsOf, MOST_HOPS } from './record';

/** Where a value comes from: it stands here, or came with the start of the run or with the answer to an earlier wait. */
type From = { value: string | number | boolean } | { from: string } | { answer: string; property: string };

/** One change of what is on file about somebody. */
export type Update =
  | ({ do: 'set' | 'append'; name: string } & From)
  | { do: 'add'; name: string; by: number }
  | { do: 'clear'; name: string }
  | { do: 'tag' | 'untag'; tag: string }
  | { do: 'list' | 'unlist'; list: string };

export interface UpdateStep {
  id: string;
  kind: 'update';
  name: string;
  changes: Update[];
  /** the same changes for the others who have the same value of an attribute, such as a household or an account: so many at most */
  others?: { by: string; most: number };
}

/** Of how many others one update changes something at most. */
export const MOST_OTHERS = 200;

/** What says who somebody is and how to reach them: that comes from them and from the shop alone. */
const THEIRS = new Set(['email', 'phone', 'pushToken', 'externalId', 'id', 'predicted']);
const attribute = propertyName.refine(
  (one) => !THEIRS.has(one) && !one.includes('.'),
  'cannot be changed by a flow; choose an attribute of your own, without a dot',
);
const scalar = z.union([z.string().max(1000), z.number(), z.boolean()]);
const valued = z.enum(['set', 'append']);

export const updateSchema = z.strictObject({
  id: stepId,
  kind: z.literal('update'),
  name,
  changes: z
    .array(
      z.union([
        z.strictObject({ do: valued, name: attribute, value: scalar }),
        z.strictObject({ do: valued, name: attribute, from: z.string().min(1).max(120) }),
        z.strictObject({ do: valued, name: attribute, answer: stepId, property: z.string().min(1).max(120) }),
        z.strictObject({ do: z.literal('add'), name: attribute, by: z.number().refine((n) => n !== 0, 'must not be 0') }),
        z.strictObject({ do: z.literal('clear'), name: attribute }),
        z.strictObject({ do: z.enum(['tag', 'untag']), tag: z.string().trim().min(1).max(60) }),
        z.strictObject({ do: z.enum(['list', 'unlist']), list: z.string().min(1).max(60) }),
      ]),
    )
    .min(1, 'needs at least one change')
    .max(20),
  others: z.strictObject({ by: propertyName, most: z.int().min(1).max(MOST_OTHERS) }).optional(),
});

/** For how long the others are tried to be changed. */
const TRIED_FOR = 'P1D';

/** How much a list holds that is added to: the oldest fall out. */
const MOST_IN_LIST = 200;

/** Where the values of an update come from, and when it is made. */
export type UpdateSource = Pick<Here, 'now'> & {
  readonly about: Pick<Here['about'], 'data'>;
  readonly view: Pick<Here['view'], 'answers'>;
};

const valueOf = (from: From, here: UpdateSource): Value | undefined => {
  if ('value' in from) return from.value;
  if ('from' in from) return valueAt(here.about.data, from.from);
  return valueAt(here.view.answers?.[from.answer]?.data ?? {}, from.property);
};

/** What a change makes of what is on file; undefined where it changes nothing. */
export function changeOf(
  update: Update,
  facts: Pick<Facts, 'attributes' | 'tags' | 'lists' | 'since'>,
  here: UpdateSource,
): Pick<FactChange, 'kind' | 'name' | 'was' | 'is'> | undefined {
  const on = (kind: 'tag' | 'list', key: string, has: boolean, wants: boolean) =>
    has === wants ? undefined : { kind, name: key, was: has ? (facts.since[`${kind}/${key}`] ?? true) : null, is: wants ? here.now : null };
  switch (update.do) {
    case 'tag':
    case 'untag':
      return on('tag', update.tag, facts.tags.includes(update.tag), update.do === 'tag');
    case 'list':
    case 'unlist':
      return on('list', update.list, facts.lists.includes(update.list), update.do === 'list');
    default: {
      const was = valueAt(facts.attributes, update.name) ?? null;
      const is = valueAfter(update, was, here);
      return is === undefined || JSON.stringify(is) === JSON.stringify(was) ? undefined : { kind: 'attribute', name: update.name, was, is };
    }
  }
}

function valueAfter(update: Extract<Update, { name: string }>, was: Value, here: UpdateSource): Value | undefined {
  switch (update.do) {
    case 'clear':
      return null;
    case 'add': {
      if (was !== null && typeof was !== 'number') return undefined;
      // as a shop counts points: 0.1 and 0.2 are 0.3
      const sum = Math.round(((was ?? 0) + update.by) * 1e6) / 1e6;
      return Number.isFinite(sum) ? sum : undefined;
    }
    case 'set':
      return valueOf(update, here);
    case 'append': {
      const value = valueOf(update, here);
      if (value === undefined || value === null) return undefined;
      const list: readonly Value[] = Array.isArray(was) ? was : was === null ? [] : [was];
      return list.some((one) => JSON.stringify(one) === JSON.stringify(value)) ? undefined : [...list, value].slice(-MOST_IN_LIST);
    }
  }
}

const sayFrom = (from: From): string =>
  'value' in from
    ? sayValue(from.value)
    : 'from' in from
      ? `${sayName(from.from)} of what started it`
      : `${sayName(from.property)} of what came`;

/** One change in words: "add 10 to points". */
export function sayUpdate(update: Update): string {
  switch (update.do) {
    case 'set':
      return `set ${sayName(update.name)} to ${sayFrom(update)}`;
    case 'append':
      return `add ${sayFrom(update)} to the list ${sayName(update.name)}`;
    case 'add':
      return update.by > 0 ? `add ${update.by} to ${sayName(update.name)}` : `take ${-update.by} from ${sayName(update.name)}`;
    case 'clear':
      return `clear ${sayName(update.name)}`;
    case 'tag':
      return `put the tag “${update.tag}” on`;
    case 'untag':
      return `take the tag “${update.tag}” off`;
    case 'list':
      return `put on the list ${update.list}`;
    case 'unlist':
      return `take off the list ${update.list}`;
  }
}

/** Says what an update changed. */
export const sayUpdated = (updated: readonly Updated[]): string =>
  updated
    .map(({ kind, name: what, was, is }) =>
      kind === 'attribute'
        ? `${sayName(what)} ${was === null ? 'is' : `was ${sayValue(was)} and is`} ${is === null ? 'not known any more' : `now ${sayValue(is)}`}`
        : `${is === null ? 'off' : 'on'} the ${kind} ${what}`,
    )
    .join('; ');

/** Changes what is on file about the person: what follows sees it at once. */
export const updateKind: StepKind<UpdateStep> = {
  actsOnce: true,
  run(step, here) {
    const updated: Updated[] = [];
    for (const update of step.changes) {
      const change = changeOf(update, here.facts, here);
      if (!change) continue;
      updated.push({ kind: change.kind as Updated['kind'], name: change.name, was: change.was, is: change.is });
      here.do({ kind: 'change', change: { ...change, at: here.now } });
      if (change.kind === 'list') {
        const type = change.is === null ? 'list.left' : 'list.joined';
        here.do({ kind: 'event', type, properties: { list: change.name, how: `${UPDATED_BY}${here.flow}` } });
      }
    }
    const value = step.others && rowKeyOf(valueAt(here.facts.attributes, step.others.by));
    if (step.others && value && hopsOf(here.about.data) <= MOST_HOPS) {
      here.do({ kind: 'others', within: TRIED_FOR, about: boundTo(step.id, { flow: here.flow, key: here.about.key }) });
      here.note('updated', { saw: { updated, others: { by: step.others.by, value } } });
    } else here.note('updated', { saw: { updated } });
    return { to: 'next' };
  },
  fresh: (id) => ({ id, kind: 'update', name: 'New update', changes: [{ do: 'tag', tag: 'reminded' }] }),
  says: (step) => `Update “${step.name}”`,
  saysNext: (step) => `Update “${step.name}”`,
  // how many flows have led to it stands there, too
  needs: (step) => [
    ...(step.others ? [{ kind: 'attribute' as const, name: step.others.by }] : []),
    ...step.changes.map((change) =>
      'tag' in change
        ? { kind: 'tag' as const, name: change.tag }
        : 'list' in change
          ? { kind: 'list' as const, name: change.list }
          : { kind: 'attribute' as const, name: change.name },
    ),
  ],
  names: (step) => step.changes.flatMap((change) => ('list' in change ? [{ kind: 'list' as const, key: change.list }] : [])),
  check(step, add) {
    const seen = new Set<string>();
    for (const change of step.changes) {
      const what = 'tag' in change ? `tag/${change.tag}` : 'list' in change ? `list/${change.list}` : `attribute/${change.name}`;
      if (seen.has(what) && change.do !== 'append')
        add('changes-twice', 'warns', `“${step.name}” changes the same thing twice`, 'The last change counts; take the other one out.');
      seen.add(what);
      if (
        change.do === 'set' &&
        'value' in change &&
        typeof change.value === 'string' &&
        /^\d{4}-\d{2}-\d{2}$/.test(change.value) &&
        dayNumber(change.value) === null
      )
        add(
          'no-day',
          'warns',
          `“${step.name}” sets ${sayName(change.name)} to ${change.value}, which is no day`,
          'Write a day of the calendar.',
        );
    }
  },
  differs: (was, is) => [
    ...(is.name === was.name ? [] : [`“${was.name}” is now called “${is.name}”`]),
    ...(JSON.stringify(is.changes) === JSON.stringify(was.changes)
      ? []
      : [`“${is.name}” now does this: ${is.changes.map(sayUpdate).join('; ')}`]),
    ...(JSON.stringify(is.others) === JSON.stringify(was.others)
      ? []
      : [
          is.others
            ? `“${is.name}” changes the same of up to ${is.others.most} others with the same ${sayName(is.others.by)}`
            : `“${is.name}” changes nobody else`,
        ]),
  ],
};
