import { flowSchema, type Step } from '../document';

/** A step that sends a letter of one line, under its own name. */
export const letter = (id: string): Step => ({
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
