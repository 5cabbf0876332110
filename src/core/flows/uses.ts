import { dependsOn, kindOfTest, testsOf, type Rule, type Test, type WhereTest } from '../rules';
import { eachStep, type FlowDocument } from './document';
import { blocksOf, everyBlock } from '../messages';
import { armsOf, formsOf, kindOfStep } from './steps';
import { isTimed, kindOfTrigger, whoIsDue } from './triggers';

/** A place in a flow that looks at events of a type, with what is asked of their properties. */
export interface EventUse {
  readonly type: string;
  readonly where: string;
  readonly asks: readonly WhereTest[];
}

/** Every rule of a flow, with its step, or null where it is about the flow as a whole, and where that is in words. */
export function rulesOf(document: FlowDocument): { where: string; stepId: string | null; rule: Rule }[] {
  const rules: { where: string; stepId: string | null; rule: Rule }[] = [];
  if (document.entry) rules.push({ where: 'entry rule', stepId: null, rule: document.entry });
  if (document.stay) rules.push({ where: 'stay rule', stepId: null, rule: document.stay });
  if (document.goal && 'rule' in document.goal) rules.push({ where: 'goal', stepId: null, rule: document.goal.rule });
  for (const trigger of document.triggers)
    if (isTimed(trigger)) {
      const who = whoIsDue(trigger);
      if (who) rules.push({ where: 'trigger', stepId: null, rule: who });
    }
  eachStep(document.steps, (step) => {
    if (step.kind === 'send')
      for (const { name, when } of step.versions ?? [])
        rules.push({ where: `message “${step.name}”, version “${name}”`, stepId: step.id, rule: when });
    if (step.kind === 'wait' && step.until && 'rule' in step.until) rules.push({ where: 'wait', stepId: step.id, rule: step.until.rule });
    for (const arm of armsOf(step))
      if (arm.when)
        rules.push({
          where: `${'name' in step ? `${step.kind} “${step.name}”` : step.kind}, arm “${arm.name}”`,
          stepId: step.id,
          rule: arm.when,
        });
  });
  return rules;
}

/** Everywhere in a flow that looks at events of a type: triggers, rules and goals, with what is asked of their properties. */
export function eventUses(document: FlowDocument): EventUse[] {
  const { triggers, goal } = document;
  const started = [...new Set(triggers.map(({ event }) => event))];
  const uses: EventUse[] = triggers.map((trigger) => ({ type: trigger.event, where: 'trigger', asks: trigger.where ?? [] }));
  for (const trigger of triggers)
    for (const type of kindOfTrigger(trigger).endsOn(trigger)) uses.push({ type, where: 'end of the silence', asks: [] });
  if (goal && 'event' in goal) uses.push({ type: goal.event, where: 'goal', asks: goal.where ?? [] });
  for (const { where, rule } of rulesOf(document)) {
    for (const test of testsOf(rule)) {
      // all that it looks at, what came after and between too
      for (const need of kindOfTest(test).needs(test)) if (need.kind === 'event') uses.push({ type: need.name, where, asks: need.where });
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
    const awaited = kindOfStep(step).awaits?.(step, { flow: '', key: '' });
    if (awaited) uses.push({ type: awaited.event, where: 'wait', asks: awaited.isOwn ? [] : (awaited.where ?? []) });
    const back = kindOfStep(step).looksBackFor?.(step, { key: '', data: {} });
    if (back) uses.push({ type: back.event, where: 'wait', asks: [] });
    if (step.kind === 'record') uses.push({ type: step.event, where: `recorded by “${step.name}”`, asks: [] });
    if (step.kind !== 'send') return;
    const messages = formsOf(step).map(({ message }) => message);
    if (
      /\bevent\./.test(JSON.stringify(messages)) ||
      messages.some((one) => everyBlock(blocksOf(one)).some((block) => block.kind === 'cart' || block.kind === 'order'))
    )
      for (const type of started) uses.push({ type, where: `message “${step.name}”`, asks: [] });
  });
  return uses;
}

/** Everywhere in a flow that looks at an attribute of people. */
export function attributeUses(document: FlowDocument, name: string): string[] {
  const places = rulesOf(document)
    .filter(({ rule }) =>
      dependsOn([rule]).some((need) => need.kind === 'attribute' && (need.name === name || need.name.startsWith(`${name}.`))),
    )
    .map(({ where }) => where);
  for (const trigger of document.triggers) if (trigger.kind === 'change' && trigger.name === name) places.push('trigger');
  const pattern = new RegExp(`\\bperson\\.${name.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}\\b`);
  eachStep(document.steps, (step) => {
    if (step.kind === 'send' && formsOf(step).some(({ message }) => pattern.test(JSON.stringify(message))))
      places.push(`message “${step.name}”`);
    if (step.kind === 'call' && pattern.test(step.body)) places.push(`call “${step.name}”`);
    if (step.kind === 'note' && (pattern.test(step.text) || ('attribute' in step.to && step.to.attribute === name)))
      places.push(`note “${step.name}”`);
    if (step.kind === 'lookup' && 'attribute' in step.by && step.by.attribute === name) places.push(`look up “${step.name}”`);
    if (step.kind === 'task' && (pattern.test(step.text) || ('attribute' in step.owner && step.owner.attribute === name)))
      places.push(`task “${step.name}”`);
  });
  return places;
}

/** Everywhere in a flow whose rule has a test of some kind. */
export const testUses = (document: FlowDocument, asks: (test: Test) => boolean): string[] =>
  rulesOf(document)
    .filter(({ rule }) => testsOf(rule).some(asks))
    .map(({ where }) => where);
