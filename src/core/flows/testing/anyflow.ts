import fc from 'fast-check';
import type { Rule } from '../../rules';
import type { FlowDocument, Step } from '../document';

interface Rough {
  readonly kind: Step['kind'];
  readonly for: string;
  readonly word: string;
  readonly off: boolean;
  readonly arms: readonly { readonly limit: number; readonly steps: readonly Rough[] }[];
}

const words = fc.constantFrom('Welcome', 'Reminder', 'A word', 'Thanks', 'Anything else?');
const waits = fc.constantFrom('PT1H', 'PT23H', 'P1D', 'P3D', 'P1W', 'PT90M');

const { steps: rough } = fc.letrec<{ steps: readonly Rough[] }>((tie) => ({
  steps: fc.array(
    fc.record({
      kind: fc.constantFrom<Step['kind']>(
        'wait',
        'wait',
        'send',
        'send',
        'branch',
        'test',
        'record',
        'update',
        'code',
        'call',
        'task',
        'lookup',
        'note',
        'hand',
        'idea',
        'end',
      ),
      for: waits,
      word: words,
      off: fc.boolean(),
      arms: fc.oneof(
        // with the arms that a step has at least, as deep as a flow may be
        { depthSize: 'small', maxDepth: 6 },
        fc.constant([]),
        fc.array(fc.record({ limit: fc.integer({ min: 1, max: 500 }), steps: tie('steps') }), { minLength: 1, maxLength: 3 }),
      ),
    }),
    { maxLength: 5 },
  ) as fc.Arbitrary<readonly Rough[]>,
}));

/** Gives rough steps the ids and forms of real ones; an `end` only last in its sequence, as the editor makes them. */
function build(list: readonly Rough[], next: () => number): Step[] {
  return list.map((one, index): Step => {
    const id = `s${next()}`;
    const kind = one.kind === 'end' && index < list.length - 1 ? 'send' : one.kind;
    if (kind === 'wait') {
      if (!one.off) return { id, kind, for: one.for };
      if (!one.arms.length && one.for === 'P3D')
        return {
          id,
          kind,
          parcel: { is: 'delivered', then: 'P1D', estimates: [{ countries: ['NL'], takes: 'P2D' }], otherwise: 'P5D' },
        };
      if (!one.arms.length && one.for === 'PT23H') return { id, kind, for: one.for, spread: true };
      if (!one.arms.length && one.for === 'P1W') return { id, kind, best: { otherwise: '10:30' } };
      if (!one.arms.length) return { id, kind, for: one.for, until: { event: 'message.clicked' } };
      const arms = [...one.arms, { limit: 1, steps: [] }].slice(0, 2).map(({ steps }, n) => ({
        id: `a${next()}`,
        name: n ? 'Time ran out' : 'It came',
        when: null,
        steps: build(steps, next),
      }));
      return { id, kind, for: one.for, until: { rule: { test: 'did', event: 'order.placed', since: 'entry' } }, arms };
    }
    if (kind === 'update')
      return {
        id,
        kind,
        name: `${one.word} ${id}`,
        changes: [{ do: one.off ? 'tag' : 'untag', tag: 'reached' }],
        ...(one.arms.length && { others: { by: 'household', most: 5 } }),
      };
    if (kind === 'note') return { id, kind, name: `${one.word} ${id}`, to: { email: 'team@shop.example' }, text: one.word };
    if (kind === 'lookup') {
      const arms = [...one.arms, { limit: 1, steps: [] }].slice(0, 2);
      return {
        id,
        kind,
        name: `${one.word} ${id}`,
        table: 'sheets',
        by: one.off ? { from: 'cartId' } : { attribute: 'country' },
        ...(one.arms.length && {
          arms: arms.map(({ steps }, n) => ({ id: `a${next()}`, name: n ? 'Not found' : 'Found', when: null, steps: build(steps, next) })),
        }),
      };
    }
    if (kind === 'call' || kind === 'task') {
      const asking = {
        id,
        name: `${one.word} ${id}`,
        within: one.off ? 'PT30M' : 'PT3H',
        ...(one.arms.length && {
          arms: [...one.arms, { limit: 1, steps: [] }]
            .slice(0, 2)
            .map(({ steps }, n) => ({ id: `a${next()}`, name: n ? 'No answer' : 'It answered', when: null, steps: build(steps, next) })),
        }),
      };
      return kind === 'call'
        ? { ...asking, kind, url: 'https://shop.example/hook', body: '{"of": "{{ event.cartId }}"}' }
        : { ...asking, kind, text: one.word, owner: { to: '' } };
    }
    if (kind === 'code') {
      const arms = [...one.arms, { limit: 1, steps: [] }].slice(0, 2);
      return {
        id,
        kind,
        name: `${one.word} ${id}`,
        offer: one.off ? 'once' : 'ten',
        ...(one.arms.length && {
          arms: arms.map(({ steps }, n) => ({ id: `a${next()}`, name: n ? 'No code' : 'Got one', when: null, steps: build(steps, next) })),
        }),
      };
    }
    if (kind === 'hand') return { id, kind, name: `${one.word} ${id}`, flow: 'another', leaves: one.off };
    if (kind === 'idea') return { id, kind, text: one.word };
    if (kind === 'record')
      return { id, kind, name: `${one.word} ${id}`, event: 'app.reminded', properties: one.off ? [{ name: 'of', from: 'cartId' }] : [] };
    if (kind === 'end') return { id, kind };
    if (kind === 'send') {
      return {
        id,
        kind,
        name: `${one.word} ${id}`,
        ...(one.off && { off: true }),
        message: {
          schema: 'viatic.message/1',
          channel: 'email',
          kind: 'marketing',
          subject: one.word,
          preview: '',
          blocks: [{ id: 'b1', kind: 'text', text: one.word }],
        },
      };
    }
    if (kind === 'test') {
      const arms = [...one.arms, { limit: 50, steps: [] }, { limit: 50, steps: [] }].slice(0, 3);
      return {
        id,
        kind,
        name: `Which of ${id}`,
        per: one.off ? 'person' : 'key',
        arms: arms.map(({ limit, steps }, n) => ({
          id: `a${next()}`,
          name: `Way ${n + 1}`,
          when: null,
          share: limit,
          steps: build(steps, next),
        })),
      };
    }
    const arms = one.arms.map(({ limit, steps }) => ({
      id: `a${next()}`,
      name: `At least ${limit}`,
      when: { test: 'trigger', property: 'value', op: 'atLeast', value: limit } as Rule,
      steps: build(steps, next),
    }));
    const first = arms.length
      ? arms
      : [{ id: `a${next()}`, name: 'Some', when: { test: 'trigger', property: 'value', op: 'atLeast', value: 10 } as Rule, steps: [] }];
    return {
      id,
      kind: 'branch',
      name: `By value ${id}`,
      arms: [...first, { id: `a${next()}`, name: 'Everyone else', when: null, steps: [] }],
    };
  });
}

const GOALS: { readonly [way: string]: FlowDocument['goal'] } = {
  none: null,
  event: { event: 'order.placed', within: 'P7D', ends: true },
  // met by what happens, and by time alone
  rule: {
    rule: {
      any: [
        { test: 'did', event: 'order.placed', since: 'entry', times: 2 },
        { test: 'did', event: 'cart.updated', since: { ago: 'P3D' } },
      ],
    },
    within: 'P7D',
    ends: false,
  },
};

/** Any flow that the editor could have made: nested branches, waits in a row, arms that end. */
export const anyFlow: fc.Arbitrary<FlowDocument> = fc
  .tuple(rough, fc.boolean(), fc.constantFrom('none', 'event', 'rule'))
  .map(([list, isSilence, goal]) => {
    let n = 0;
    return {
      schema: 'viatic.flow/1',
      name: 'Any flow',
      triggers: [
        isSilence
          ? { id: 'start', kind: 'silence', event: 'cart.updated', key: 'cartId', after: 'PT1H', unless: { event: 'order.placed' } }
          : { id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' },
      ],
      entry: null,
      stay: null,
      reentry: 'once-per-key',
      goal: GOALS[goal]!,
      steps: build(list, () => ++n),
    };
  });
