import { planOf, type FlowDocument } from '@/core/flows';
import { dependsOn } from '@/core/rules';

export { sayDone } from '@/core/rules';

/** What may well happen to people of a flow: what it starts and ends by and what its rules ask for, then what every shop knows. */
export function useful(document: FlowDocument): string[] {
  const { rules, steps } = planOf(document);
  const asked = rules.flatMap((rule) => dependsOn([rule]).flatMap((need) => (need.kind === 'event' ? [need.name] : [])));
  const waited = [...steps.values()].flatMap((step) =>
    step.kind === 'wait' && step.until && 'event' in step.until ? [step.until.event] : [],
  );
  const goal = document.goal && 'event' in document.goal ? [document.goal.event] : [];
  return [
    ...new Set([
      ...document.triggers.map(({ event }) => event),
      ...goal,
      ...waited,
      ...asked.filter((type) => !type.startsWith('message.')),
      'order.placed',
      'cart.updated',
      'product.viewed',
      'order.cancelled',
      'order.delivered',
    ]),
  ];
}
