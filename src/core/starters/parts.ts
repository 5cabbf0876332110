import { inAllForms, type FlowDocument, type Step } from '../flows';
import type { Block, Message } from '../messages';
import type { Rule } from '../rules';

/** A flow that every shop or app can begin with: what it does in two sentences, what it needs, and the document. */
export interface Starter {
  readonly key: string;
  readonly name: string;
  readonly says: string;
  /** types of events that have to arrive for it to work, beside orders */
  readonly needs: readonly string[];
  readonly document: FlowDocument;
}

export const CAN_BE_EMAILED: Rule = { test: 'consent', channel: 'email', reachable: true };
export const NO_ORDER_SINCE: Rule = { test: 'didNot', event: 'order.placed', since: 'entry' };

const HELLO = 'Hello {{ person.firstName | fallback: "there" }},';

/** A letter: greeting, text, and what stands below it. */
export function letter(id: string, name: string, subject: string, preview: string, text: string, more: readonly Block[] = []): Step {
  const message: Message = {
    schema: 'viatic.message/1',
    channel: 'email',
    kind: 'marketing',
    subject,
    preview,
    blocks: [{ id: 'text', kind: 'text', text: `${HELLO}\n\n${text}` }, ...more],
  };
  return { id, kind: 'send', name, message };
}

/** The same as a service message: it goes to whom it is about, whatever they agreed to. */
export function service(...of: Parameters<typeof letter>): Step {
  const step = letter(...of);
  return step.kind === 'send' ? inAllForms(step, (message) => ({ ...message, kind: 'service' })) : step;
}

/** What others bought together with what this is about. */
export const BOUGHT_WITH: Block = {
  id: 'beside',
  kind: 'products',
  from: { by: 'bought-with' },
  otherwise: { by: 'best-sold', days: 90 },
  most: 3,
  layout: 'cards',
};

export const button = (label: string, url: string): Block => ({ id: 'button', kind: 'button', label, url });
export const wait = (id: string, length: string): Step => ({ id, kind: 'wait', for: length });

export const flow = (name: string, more: Omit<FlowDocument, 'schema' | 'name'>): FlowDocument => ({
  schema: 'viatic.flow/1',
  name,
  ...more,
});
