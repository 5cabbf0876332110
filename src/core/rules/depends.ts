import { partsOf, type Rule, type Test } from './rule';

/** What a rule looks at, so that just that is loaded, and so that just that wakes a run which waits on it. */
export interface Dependencies {
  readonly attributes: ReadonlySet<string>;
  readonly reach: boolean;
  readonly lists: boolean;
  readonly tags: boolean;
  readonly eventTypes: ReadonlySet<string>;
  readonly looksAtTrigger: boolean;
}

/** Computes what rules depend on, taken together. */
export function dependsOn(rules: readonly (Rule | null | undefined)[]): Dependencies {
  const attributes = new Set<string>();
  const eventTypes = new Set<string>();
  let reach = false;
  let lists = false;
  let tags = false;
  let looksAtTrigger = false;
  const visit = (rule: Rule): void => {
    const parts = partsOf(rule);
    if (parts) {
      parts.forEach(visit);
      return;
    }
    const test = rule as Test;
    if (test.test === 'attribute') attributes.add(test.name);
    else if (test.test === 'consent') reach = true;
    else if (test.test === 'list') lists = true;
    else if (test.test === 'tag') tags = true;
    else if (test.test === 'trigger') looksAtTrigger = true;
    else eventTypes.add(test.event);
  };
  for (const rule of rules) if (rule) visit(rule);
  return { attributes, reach, lists, tags, eventTypes, looksAtTrigger };
}

/** The event types at which a rule's answer can change: those it counts, and changes of attributes or consent. */
export function wakesOn(rules: readonly (Rule | null | undefined)[]): string[] {
  const needs = dependsOn(rules);
  const types = new Set(needs.eventTypes);
  if (needs.attributes.size || needs.tags) types.add(PERSON_CHANGED);
  if (needs.lists) for (const type of LIST_EVENTS) types.add(type);
  if (needs.reach) types.add(CONSENT_CHANGED);
  return [...types].sort();
}

/** Our own events for joining and leaving a list. */
export const LIST_EVENTS = ['list.joined', 'list.left'] as const;
/** Our own event for a changed consent, address or suppression. */
export const CONSENT_CHANGED = 'consent.changed';
/** Not stored as an event: the signal that an attribute has changed. */
export const PERSON_CHANGED = 'person.changed';
