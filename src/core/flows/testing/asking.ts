import type { Email } from '../../messages';
import { offerSchema, type Offer, type Offers } from '../../offers';
import { flowSchema, type FlowDocument, type Step } from '../document';

/** A step that sends an email. */
export type LetterStep = Extract<Step, { kind: 'send' }> & { message: Email };

/** A step that sends a letter of one line, under its own name. */
export const letter = (id: string): LetterStep => ({
  id,
  kind: 'send',
  name: id,
  message: {
    schema: 'viatic.message/1',
    channel: 'email',
    kind: 'marketing',
    subject: id,
    preview: '',
    blocks: [{ id: 'b1', kind: 'text', text: id }],
  },
});

/** The same with the code that its run has been issued. */
export function codeLetter(id: string): Step {
  const step = letter(id);
  const text = 'Take {{ offer.terms }} with {{ offer.code }}, up to {{ offer.expires }}.';
  return { ...step, message: { ...step.message, blocks: [...step.message.blocks, { id: 'b2', kind: 'offer', text }] } };
}

/** A flow of these steps and otherwise as plain as can be, started by each order. */
export const flowWith = (more: Partial<FlowDocument> | { readonly triggers: readonly object[] }): FlowDocument =>
  flowSchema.parse({
    schema: 'viatic.flow/1',
    name: 'Of its steps',
    triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' }],
    entry: null,
    stay: null,
    reentry: 'once-per-key',
    goal: null,
    steps: [letter('hello')],
    ...more,
  });

const tenOff = (name: string, guard: Offer['guard']): Offer =>
  offerSchema.parse({
    schema: 'viatic.offer/1',
    name,
    gives: { kind: 'percent', percent: 10 },
    currency: 'EUR',
    combines: false,
    expires: { after: 'P3D' },
    comesBack: true,
    who: null,
    guard,
    code: { prefix: '{{ person.firstName }}', letters: 6 },
  });

/** The offers of which random flows issue codes: each with a guard that looks back. */
export const ANY_OFFERS: Offers = new Map([
  ['ten', tenOff('Ten off', { gap: 'P4D', carts: { over: 2, within: 'P20D' } })],
  ['once', tenOff('Once', { once: true, after: 1, underway: 'P2D' })],
]);

/** Issues a code of the offer "ten", tells of it at once and when it is over, and goes by whether one was issued. */
export const issuesTen: Step = {
  id: 'code',
  kind: 'code',
  name: 'Ten off',
  offer: 'ten',
  arms: [
    {
      id: 'got',
      name: 'Got one',
      when: null,
      steps: [codeLetter('with-code'), { id: 'w', kind: 'wait', for: 'P5D' }, codeLetter('too-late')],
    },
    { id: 'not', name: 'No code', when: null, steps: [letter('without-code')] },
  ],
};

/** A message in three forms: in Dutch, for the loyal, and for everyone else. */
export const inForms = flowWith({
  name: 'In forms',
  triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' }],
  steps: [
    {
      ...letter('thanks'),
      message: { ...letter('thanks').message, subject: 'Thank you' },
      versions: [
        {
          id: 'dutch',
          name: 'Dutch',
          when: { test: 'attribute', name: 'language', op: 'startsWith', value: 'nl' },
          message: { ...letter('thanks').message, subject: 'Bedankt' },
        },
        {
          id: 'loyal',
          name: 'Loyal',
          when: { test: 'attribute', name: 'points', op: 'atLeast', value: 500 },
          message: { ...letter('thanks').message, subject: 'Thank you, again' },
        },
      ],
    },
  ],
});

/** A flow that issues a code, tells of it while it counts, and goes by whether one was issued. */
export const issuesCodes = flowSchema.parse({
  schema: 'viatic.flow/1',
  name: 'Issues codes',
  triggers: [{ id: 'start', kind: 'event', event: 'cart.updated', key: 'cartId' }],
  entry: null,
  stay: { test: 'didNot', event: 'order.placed', since: 'entry' },
  reentry: 'once-per-key',
  goal: { event: 'order.placed', within: 'P7D', ends: true },
  steps: [{ id: 'an-hour', kind: 'wait', for: 'PT1H' }, issuesTen, { id: 'again', kind: 'code', name: 'And once', offer: 'once' }],
});

/** A flow that draws lots, records an event, waits to be answered and goes by the answer. */
export const drawsAndAsks = flowSchema.parse({
  schema: 'viatic.flow/1',
  name: 'Draws and asks',
  triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' }],
  entry: null,
  stay: null,
  reentry: 'once-per-key',
  goal: { event: 'order.placed', where: [{ property: 'value', op: 'above', value: 100 }], within: 'P9D', ends: false },
  steps: [
    {
      id: 'which',
      kind: 'test',
      name: 'Sooner or later',
      per: 'key',
      arms: [
        { id: 'sooner', name: 'Sooner', when: null, share: 40, steps: [letter('at-once')] },
        { id: 'later', name: 'Later', when: null, share: 60, steps: [{ id: 'a-day', kind: 'wait', for: 'P1D' }, letter('after-a-day')] },
      ],
    },
    { id: 'asked', kind: 'record', name: 'Asked', event: 'app.asked', properties: [{ name: 'orderId', from: 'orderId' }] },
    {
      id: 'answer',
      kind: 'wait',
      for: 'P3D',
      until: { event: 'cart.updated', where: [{ property: 'value', op: 'atLeast', value: 20 }] },
    },
    {
      id: 'went',
      kind: 'branch',
      name: 'What came',
      arms: [
        {
          id: 'much',
          name: 'Much',
          when: { test: 'answer', step: 'answer', property: 'value', op: 'above', value: 100 },
          steps: [letter('for-much')],
        },
        { id: 'some', name: 'Some', when: { test: 'answer', step: 'answer', came: true }, steps: [letter('for-some')] },
        { id: 'none', name: 'Nothing', when: { test: 'did', event: 'app.asked', times: 2, since: 'ever' }, steps: [letter('twice')] },
        { id: 'rest', name: 'The rest', when: null, steps: [] },
      ],
    },
  ],
});

/** A flow that what {@link drawsAndAsks} records begins. */
export const hears = flowSchema.parse({
  schema: 'viatic.flow/1',
  name: 'Hears',
  triggers: [{ id: 'start', kind: 'event', event: 'app.asked', key: 'orderId' }],
  entry: { test: 'trigger', property: 'byFlow', op: 'is', value: 'draws' },
  stay: null,
  reentry: 'once-per-key',
  goal: null,
  steps: [letter('heard')],
});

/** A flow that changes what is on file, waits by a condition, by hours and by a day, and hands over. */
export const changesPeople = flowSchema.parse({
  schema: 'viatic.flow/1',
  name: 'Changes people',
  triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' }],
  entry: null,
  stay: { test: 'tag', tag: 'left-alone', has: false },
  reentry: 'once-per-key',
  goal: null,
  steps: [
    {
      id: 'note',
      kind: 'update',
      name: 'Note it',
      changes: [
        { do: 'add', name: 'points', by: 5 },
        { do: 'set', name: 'lastOrder', from: 'orderId' },
        { do: 'append', name: 'values', from: 'value' },
        { do: 'tag', tag: 'buyer' },
        { do: 'list', list: 'buyers' },
      ],
    },
    {
      id: 'until-points',
      kind: 'wait',
      for: 'P9D',
      until: { rule: { test: 'attribute', name: 'points', op: 'atLeast', value: 15 } },
      arms: [
        {
          id: 'came',
          name: 'It came',
          when: null,
          steps: [
            letter('enough'),
            {
              id: 'take',
              kind: 'update',
              name: 'Take',
              changes: [
                { do: 'add', name: 'points', by: -15 },
                { do: 'untag', tag: 'buyer' },
              ],
            },
          ],
        },
        {
          id: 'late',
          name: 'Time ran out',
          when: null,
          steps: [{ id: 'off', kind: 'update', name: 'Off', changes: [{ do: 'unlist', list: 'buyers' }] }],
        },
      ],
    },
    { id: 'office', kind: 'wait', for: 'PT1H', hours: { weekdays: [1, 2, 3, 4, 5], from: '09:00', to: '17:00' } },
    { id: 'over', kind: 'hand', name: 'On', flow: 'takes', leaves: true },
  ],
});

/** A flow that {@link changesPeople} hands over to. */
export const takesOver = flowSchema.parse({
  schema: 'viatic.flow/1',
  name: 'Takes over',
  triggers: [{ id: 'start', kind: 'event', event: 'app.never', key: null }],
  entry: { test: 'trigger', property: 'value', op: 'above', value: 1 },
  stay: null,
  reentry: { after: 'P20D' },
  goal: null,
  steps: [letter('taken'), { id: 'done', kind: 'update', name: 'Done', changes: [{ do: 'clear', name: 'lastOrder' }] }],
});

/** A flow that starts as points pass a mark, and again by what it changes itself, until flows have begun each other often enough. */
export const rises = flowSchema.parse({
  schema: 'viatic.flow/1',
  name: 'Rises',
  triggers: [
    {
      id: 'start',
      kind: 'change',
      name: 'points',
      where: [
        { property: 'is', op: 'atLeast', value: 10 },
        { property: 'was', op: 'below', value: 10 },
      ],
    },
    { id: 'again', kind: 'change', name: 'rises', where: [{ property: 'is', op: 'atLeast', value: 1 }] },
  ],
  entry: null,
  stay: null,
  reentry: 'always',
  goal: null,
  steps: [{ id: 'count', kind: 'update', name: 'Count', changes: [{ do: 'add', name: 'rises', by: 1 }] }, letter('risen')],
});
