import * as z from 'zod';
import { durationSchema, ruleSchema, type Rule } from '../rules';
import { sayDuration } from '../time';

const positive = durationSchema.refine((text) => !/^P(T?0+[A-Z])+$/.test(text), 'must be longer than no time');

/** What keeps an offer from being gamed: for whom any of these holds, no code is issued. */
export const guardSchema = z.strictObject({
  /** one for each person, ever */
  once: z.boolean().optional(),
  /** not to who has had a code of any offer within so long */
  gap: positive.optional(),
  /** not to who has left more than so many carts within so long without buying */
  carts: z.strictObject({ over: z.int().min(1).max(50), within: positive }).optional(),
  /** not to who has bought at least so often, and each time with a discount */
  always: z.int().min(2).max(50).optional(),
  /** not to who has an order on its way that was placed within so long */
  underway: positive.optional(),
  /** only to who has had so many messages of the flow without one, since entering */
  after: z.int().min(1).max(10).optional(),
  /** not to who shares an address or a phone number with somebody who has had one */
  shared: z.boolean().optional(),
  /** not to whom a rule of one's own holds for */
  never: ruleSchema.optional(),
});
export type Guard = z.infer<typeof guardSchema>;

/** Event types of a code's life. */
export const CODE_ISSUED = 'code.issued';
export const CODE_USED = 'code.used';
export const CODE_EXPIRED = 'code.expired';

/** Which part of a guard it was. */
export type Guarded = Exclude<keyof Guard, 'shared'>;

const ever = 'ever' as const;

/** The parts of a guard as rules: for whom one holds, no code is issued in a flow. The first that holds is the reason. */
export function guardRules(offer: string, guard: Guard, flow: string): { why: Guarded; rule: Rule }[] {
  const parts: { why: Guarded; rule: Rule }[] = [];
  const { once, gap, carts, always, underway, after, never } = guard;
  if (after !== undefined)
    parts.push({
      why: 'after',
      rule: { test: 'didNot', event: 'message.sent', times: after, where: [{ property: 'flow', op: 'is', value: flow }], since: 'entry' },
    });
  if (once)
    parts.push({
      why: 'once',
      rule: { test: 'did', event: CODE_ISSUED, where: [{ property: 'offer', op: 'is', value: offer }], since: ever },
    });
  if (gap !== undefined) parts.push({ why: 'gap', rule: { test: 'did', event: CODE_ISSUED, since: { last: gap } } });
  if (carts)
    parts.push({
      why: 'carts',
      rule: {
        all: [
          {
            test: 'total',
            event: 'cart.updated',
            of: 'cartId',
            take: 'different',
            op: 'above',
            value: carts.over,
            since: { last: carts.within },
          },
          { test: 'didNot', event: 'order.placed', since: { last: carts.within } },
        ],
      },
    });
  if (always !== undefined)
    parts.push({
      why: 'always',
      rule: {
        all: [
          { test: 'did', event: 'order.placed', times: always, where: [{ property: 'discount', op: 'above', value: 0 }], since: ever },
          { test: 'didNot', event: 'order.placed', where: [{ property: 'discount', op: 'atMost', value: 0 }], since: ever },
          { test: 'didNot', event: 'order.placed', where: [{ property: 'discount', op: 'unknown' }], since: ever },
        ],
      },
    });
  if (underway !== undefined) {
    const since = { after: { event: 'order.placed' } };
    parts.push({
      why: 'underway',
      rule: {
        all: [
          { test: 'did', event: 'order.placed', since: { last: underway } },
          { test: 'didNot', event: 'order.delivered', since },
          { test: 'didNot', event: 'order.cancelled', since },
        ],
      },
    });
  }
  if (never) parts.push({ why: 'never', rule: never });
  return parts;
}

/** Why no code was issued, as a sentence goes on after "no code: ". */
export function sayGuarded(why: Guarded | 'shared', guard: Guard): string {
  switch (why) {
    case 'once':
      return 'had one of this offer before';
    case 'gap':
      return guard.gap ? `had one within ${sayDuration(guard.gap)}` : 'had one lately';
    case 'carts':
      return guard.carts
        ? `left more than ${guard.carts.over} ${guard.carts.over === 1 ? 'cart' : 'carts'} within ${sayDuration(guard.carts.within)} without buying`
        : 'left carts without buying';
    case 'always':
      return 'has always bought at a discount';
    case 'underway':
      return 'has an order on its way';
    case 'after':
      return guard.after
        ? `had fewer than ${guard.after} ${guard.after === 1 ? 'message' : 'messages'} without one`
        : 'had no message without one yet';
    case 'shared':
      return 'shares an address or a phone number with somebody who had one';
    case 'never':
      return 'a rule of the offer keeps it from them';
  }
}

/** A guard as clauses that say to whom nothing is issued: "had one within 30 days". */
export function sayGuard(guard: Guard): string[] {
  const order = ['after', 'once', 'gap', 'carts', 'always', 'underway', 'shared', 'never'] as const;
  return order.filter((why) => guard[why] !== undefined && guard[why] !== false).map((why) => sayGuarded(why, guard));
}
