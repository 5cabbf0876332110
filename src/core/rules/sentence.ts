import { nameOfGroup, partsOf, type Rule } from './rule';
import { kindOfTest, type Test } from './tests';
import type { Wording } from './wording';

export type { Wording } from './wording';

/** Says a rule as a sentence without its subject: "can be emailed and has not placed an order since entering". */
export function sayRule(rule: Rule, wording: Wording = {}): string {
  // a rule that is looked at for a million people is said once; what things are called may change
  if (wording.names) return compose(rule, wording);
  const id = `${wording.triggerType ?? ''} ${wording.currency ?? ''} ${wording.isWhose ?? ''}`;
  let known = said.get(rule);
  if (!known) said.set(rule, (known = new Map()));
  let sentence = known.get(id);
  if (sentence === undefined) known.set(id, (sentence = compose(rule, wording)));
  return sentence;
}

/** Says whom a rule is about, behind "everybody" or "people": "who has placed an order and whose country is “NL”". */
export function sayWho(rule: Rule, wording: Wording = {}): string {
  const says = sayRule(rule, { ...wording, isWhose: true });
  if (says === 'anyone') return 'on file';
  if (says === 'no one') return 'who is nobody';
  if (says.startsWith('none of: ')) return `of whom ${says.replace('none of: ', 'none of this holds: ')}`;
  return /^\(*whose /.test(says) ? says : `who ${says}`;
}

const said = new WeakMap<Rule, Map<string, string>>();

function compose(rule: Rule, wording: Wording): string {
  const parts = partsOf(rule);
  if (!parts) return kindOfTest(rule as Test).says(rule as Test, wording);
  const name = nameOfGroup(rule);
  if (name !== undefined) return `“${name}” (${compose({ ...rule, named: undefined } as Rule, wording)})`;
  if ('none' in rule) return parts.length ? `none of: ${parts.map((part) => nested(part, wording)).join('; ')}` : 'anyone';
  if (!parts.length) return 'all' in rule ? 'anyone' : 'no one';
  if (parts.length === 1) return sayRule(parts[0]!, wording);
  return parts.map((part) => nested(part, wording)).join('all' in rule ? ' and ' : ' or ');
}

function nested(rule: Rule, wording: Wording): string {
  const parts = partsOf(rule);
  return parts && parts.length > 1 && nameOfGroup(rule) === undefined ? `(${sayRule(rule, wording)})` : sayRule(rule, wording);
}
