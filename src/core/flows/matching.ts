import { kindOfTest, testsOf, type Rule } from '../rules';
import type { FlowDocument } from './document';

/**
 * The rule of who belongs in a flow already, before anything happens: those in the segments or on the lists whose joining starts it, as
 * far as the entry rule holds for them. Null where that cannot be told of people as they are: where it starts by anything else that
 * they do, or asks for what came with that.
 */
export function matchingOf({ triggers, entry }: Pick<FlowDocument, 'triggers' | 'entry'>): Rule | null {
  if (entry && testsOf(entry).some((test) => kindOfTest(test).isForFlows?.(test))) return null;
  const members = triggers.map((trigger): Rule | null => {
    if (trigger.kind !== 'event' || (trigger.event !== 'segment.joined' && trigger.event !== 'list.joined')) return null;
    const kind = trigger.event === 'segment.joined' ? 'segment' : 'list';
    const asked = trigger.where?.find((one) => one.property === kind);
    if (!asked || 'any' in asked || typeof asked.value !== 'string' || asked.op !== 'is' || trigger.where!.length > 1) return null;
    return kind === 'segment' ? { test: 'segment', segment: asked.value, member: true } : { test: 'list', list: asked.value, member: true };
  });
  const known = members.filter((one) => one !== null);
  if (!known.length || known.length < members.length) return null;
  const joined: Rule = known.length > 1 ? { any: known } : known[0]!;
  return entry ? { all: [joined, entry] } : joined;
}
