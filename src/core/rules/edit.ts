import { nameOfGroup, partsOf, type Rule } from './rule';
import type { Test } from './tests';

/** A place in a rule: the numbers of the parts on the way to it; the rule itself is []. */
export type RulePath = readonly number[];
export type GroupWord = 'all' | 'any' | 'none';

/** The word of a group, or null for a single test. */
export const groupWordOf = (rule: Rule): GroupWord | null =>
  'all' in rule ? 'all' : 'any' in rule ? 'any' : 'none' in rule ? 'none' : null;

export const groupOf = (word: GroupWord, parts: readonly Rule[], named?: string): Rule =>
  ({ [word]: [...parts], ...(named !== undefined && { named }) }) as Rule;

/** What stands at a place, or null when there is nothing. */
export function partAt(rule: Rule, path: RulePath): Rule | null {
  let here: Rule | undefined = rule;
  for (const index of path) here = here && partsOf(here)?.[index];
  return here ?? null;
}

/** The rule with another list of parts in the group at a place. */
function withParts(rule: Rule, path: RulePath, change: (parts: readonly Rule[]) => readonly Rule[]): Rule {
  const word = groupWordOf(rule);
  if (!word) return rule;
  const parts = partsOf(rule)!;
  const [index, ...rest] = path;
  const named = nameOfGroup(rule);
  if (index === undefined) return groupOf(word, change(parts), named);
  const part = parts[index];
  if (!part) return rule;
  return groupOf(
    word,
    parts.map((one, at) => (at === index ? withParts(part, rest, change) : one)),
    named,
  );
}

/** The rule with something else at a place. */
export function replaceAt(rule: Rule, path: RulePath, part: Rule): Rule {
  if (!path.length) return part;
  return withParts(rule, path.slice(0, -1), (parts) => parts.map((one, at) => (at === path.at(-1) ? part : one)));
}

/** The rule without what stands at a place; a group that is left empty goes with it, but not the rule itself. */
export function removeAt(rule: Rule, path: RulePath): Rule {
  if (!path.length) return groupOf('all', []);
  const up = path.slice(0, -1);
  const left = withParts(rule, up, (parts) => parts.filter((_, at) => at !== path.at(-1)));
  return up.length && partsOf(partAt(left, up)!)?.length === 0 ? removeAt(left, up) : left;
}

/** The rule with a part put in before the one at a place, or at the end of its group. */
export const insertAt = (rule: Rule, path: RulePath, part: Rule): Rule =>
  withParts(rule, path.slice(0, -1), (parts) => [...parts.slice(0, path.at(-1)), part, ...parts.slice(path.at(-1))]);

/** The rule with what stands at one place moved before another; into itself nothing is moved. */
export function moveTo(rule: Rule, from: RulePath, to: RulePath): Rule {
  const part = partAt(rule, from);
  if (!part || !from.length || !to.length || from.every((index, at) => to[at] === index)) return rule;
  // a mark stands where the part is to go, while it is taken out
  const mark: Rule = { any: [] };
  const marked = insertAt(rule, to, mark);
  const shift = to.length <= from.length && to.slice(0, -1).every((index, at) => from[at] === index) && to.at(-1)! <= from[to.length - 1]!;
  const old = shift ? from.map((index, at) => (at === to.length - 1 ? index + 1 : index)) : from;
  const swap = (one: Rule): Rule => {
    if (one === mark) return part;
    const word = groupWordOf(one);
    return word ? groupOf(word, partsOf(one)!.map(swap), nameOfGroup(one)) : one;
  };
  return swap(removeAt(marked, old));
}

/** A part again, right after itself. */
export function duplicateAt(rule: Rule, path: RulePath): Rule {
  const part = partAt(rule, path);
  return part && path.length ? insertAt(rule, [...path.slice(0, -1), path.at(-1)! + 1], structuredClone(part)) : rule;
}

const OPPOSITE: { readonly [op: string]: string } = {
  is: 'isNot',
  isNot: 'is',
  oneOf: 'noneOf',
  noneOf: 'oneOf',
  known: 'unknown',
  unknown: 'known',
};

/** What holds just where a part does not, in the plainest words there are for it. */
export function negated(rule: Rule): Rule {
  if (nameOfGroup(rule) !== undefined) return { none: [rule] };
  if ('none' in rule) return rule.none.length === 1 ? rule.none[0]! : groupOf('any', rule.none);
  if (!('test' in rule)) return 'any' in rule ? groupOf('none', rule.any) : { none: [rule] };
  const test: Test = rule;
  switch (test.test) {
    case 'did':
      return { ...test, test: 'didNot' };
    case 'didNot':
      return { ...test, test: 'did' };
    case 'consent':
      return { ...test, reachable: !test.reachable };
    case 'reach':
    case 'said':
    case 'flow':
      return { ...test, is: !test.is };
    case 'tracking':
      return { ...test, allowed: !test.allowed };
    case 'topic':
      return { ...test, wants: !test.wants };
    case 'country':
      return { ...test, member: !test.member };
    case 'list':
    case 'segment':
      return { ...test, member: !test.member };
    case 'tag':
      return { ...test, has: !test.has };
    case 'answer':
      if ('came' in test) return { ...test, came: !test.came };
      break;
    case 'attribute':
    case 'trigger':
      if (OPPOSITE[test.op]) return { ...test, op: OPPOSITE[test.op] } as Rule;
  }
  return { none: [rule] };
}
