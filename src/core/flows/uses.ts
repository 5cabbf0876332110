import { partsOf, type Rule, type Test, type WhereTest } from '../rules';
import { eachStep, type FlowDocument } from './document';
import { armsOf } from './steps';
import { kindOfTrigger } from './triggers';

/** A place in a flow that looks at events of a type, with what is asked of their properties. */
export interface EventUse {
  readonly type: string;
  readonly where: string;
  readonly asks: readonly WhereTest[];
}

/** Walks every rule of a flow, saying where it stands. */
function rulesOf(document: FlowDocument): { where: string; rule: Rule }[] {
  const rules: { where: string; rule: Rule }[] = [];
  if (document.entry) rules.push({ where: 'entry rule', rule: document.entry });
  if (document.stay) rules.push({ where: 'stay rule', rule: document.stay });
  eachStep(document.steps, (step) => {
    for (const arm of armsOf(step))
      if (arm.when)
        rules.push({ where: `${'name' in step ? `${step.kind} “${step.name}”` : step.kind}, arm “${arm.name}”`, rule: arm.when });
  });
  return rules;
}

function testsOf(rule: Rule): Test[] {
  const parts = partsOf(rule);
  return parts ? parts.flatMap(testsOf) : [rule as Test];
}

/** Everywhere in a flow that looks at events of a type: triggers, rules and goals, with what is asked of their properties. */
export function eventUses(document: FlowDocument): EventUse[] {
  const { triggers, goal } = document;
  const started = [...new Set(triggers.map(({ event }) => event))];
  const uses: EventUse[] = triggers.map((trigger) => ({ type: trigger.event, where: 'trigger', asks: trigger.where ?? [] }));
  for (const trigger of triggers)
    for (const type of kindOfTrigger(trigger).endsOn(trigger)) uses.push({ type, where: 'end of the silence', asks: [] });
  if (goal) uses.push({ type: goal.event, where: 'goal', asks: goal.where ?? [] });
  for (const { where, rule } of rulesOf(document)) {
    for (const test of testsOf(rule)) {
      if (test.test === 'did' || test.test === 'didNot' || test.test === 'total')
        uses.push({ type: test.event, where, asks: test.where ?? [] });
      if (test.test === 'trigger')
        for (const type of started)
          uses.push({
            type,
            where,
            asks: [{ property: test.property, op: test.op, ...(test.value !== undefined && { value: test.value }) }],
          });
    }
  }
  eachStep(document.steps, (step) => {
    if (step.kind !== 'send') return;
    const text = JSON.stringify(step.message);
    if (/\bevent\./.test(text) || step.message.blocks.some((block) => block.kind === 'cart'))
      for (const type of started) uses.push({ type, where: `message “${step.name}”`, asks: [] });
  });
  return uses;
}

/** Everywhere in a flow that looks at an attribute of people. */
export function attributeUses(document: FlowDocument, name: string): string[] {
  const places = rulesOf(document)
    .filter(({ rule }) =>
      testsOf(rule).some((test) => test.test === 'attribute' && (test.name === name || test.name.startsWith(`${name}.`))),
    )
    .map(({ where }) => where);
  const pattern = new RegExp(`\\bperson\\.${name.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}\\b`);
  eachStep(document.steps, (step) => {
    if (step.kind === 'send' && pattern.test(JSON.stringify(step.message))) places.push(`message “${step.name}”`);
  });
  return places;
}
