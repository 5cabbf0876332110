import { changeStep, type FlowDocument } from '../core/flows';
import type { Block, Message } from '../core/messages';
import type { Offers } from '../core/offers';
import type { Rule } from '../core/rules';
import { STARTERS } from '../core/starters';

const canBeEmailed: Rule = { test: 'consent', channel: 'email', reachable: true };
const noOrderSinceEntering: Rule = { test: 'didNot', event: 'order.placed', since: 'entry' };
const email = (subject: string, preview: string, blocks: Block[]): Message => ({
  schema: 'viatic.message/1',
  channel: 'email',
  kind: 'marketing',
  subject,
  preview,
  blocks,
});
const hello = 'Hello {{ person.firstName | fallback: "fellow keeper" }},';

/** Quillfin's flow for carts that were left behind. */
export const cartLeftBehind: FlowDocument = {
  schema: 'viatic.flow/1',
  name: 'Cart left behind',
  triggers: [
    {
      id: 'start',
      kind: 'silence',
      event: 'cart.updated',
      key: 'cartId',
      after: 'PT1H',
      where: [{ property: 'value', op: 'above', value: 0 }],
      unless: { event: 'order.placed' },
    },
  ],
  entry: canBeEmailed,
  stay: noOrderSinceEntering,
  reentry: 'once-per-key',
  goal: { event: 'order.placed', within: 'P7D', ends: true },
  steps: [
    {
      id: 'by-value',
      kind: 'branch',
      name: 'By cart value',
      arms: [
        {
          id: 'from-100',
          name: '100 and up',
          when: { test: 'trigger', property: 'value', op: 'atLeast', value: 100 },
          steps: [
            {
              id: 'big-cart',
              kind: 'send',
              name: 'Your tank is waiting, with an offer',
              message: email(
                'Your tank is still here, {{ person.firstName | fallback: "and so are we" }}',
                'We kept everything as you left it',
                [
                  {
                    id: 'hello',
                    kind: 'text',
                    text: `${hello}\n\nYou picked these and then life happened. We kept them for you, just as you left them.`,
                  },
                  { id: 'cart', kind: 'cart' },
                  {
                    id: 'offer',
                    kind: 'offer',
                    text: 'Order in the next days and take 10 % off: the button below has the code CLEAR10 on it already.',
                  },
                  { id: 'back', kind: 'button', label: 'Back to my cart', url: '{{ event.checkoutUrl | with: "code", "CLEAR10" }}' },
                  {
                    id: 'help',
                    kind: 'text',
                    text:
                      'Not sure about the size? Measure the place, leave a hand’s width behind for the filter, and write to us. ' +
                      'Somebody who keeps fish will answer.',
                  },
                ],
              ),
            },
          ],
        },
        {
          id: 'below-100',
          name: 'Below 100',
          when: null,
          steps: [
            {
              id: 'small-cart',
              kind: 'send',
              name: 'You left something in your cart',
              message: email('You left something in your cart', 'It is one click away', [
                { id: 'hello', kind: 'text', text: `${hello}\n\nThese are still in your cart:` },
                { id: 'cart', kind: 'cart' },
                { id: 'back', kind: 'button', label: 'Back to my cart', url: '{{ event.checkoutUrl }}' },
              ]),
            },
          ],
        },
      ],
    },
    { id: 'a-day', kind: 'wait', for: 'PT23H' },
    {
      id: 'reminder',
      kind: 'send',
      name: 'Reminder',
      message: email('Shall we put your cart back on the shelf?', 'A last word about it from us', [
        { id: 'hello', kind: 'text', text: `${hello}\n\nThis is the last we write about this cart. If you want it, it is here:` },
        { id: 'cart', kind: 'cart' },
        { id: 'back', kind: 'button', label: 'Back to my cart', url: '{{ event.checkoutUrl }}' },
      ]),
    },
    { id: 'over', kind: 'end' },
  ],
};

/** What a new customer hears in the weeks in which a tank runs in. */
export const firstOrder: FlowDocument = {
  schema: 'viatic.flow/1',
  name: 'First order',
  triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' }],
  entry: { all: [canBeEmailed, { test: 'didNot', event: 'order.placed', times: 2, since: 'ever' }] },
  stay: { test: 'didNot', event: 'order.cancelled', since: 'entry' },
  reentry: 'once',
  goal: { event: 'order.placed', where: [{ property: 'value', op: 'above', value: 0 }], within: 'P30D', ends: false },
  steps: [
    { id: 'unpack', kind: 'wait', for: 'P3D' },
    {
      id: 'first-weeks',
      kind: 'send',
      name: 'The first three weeks',
      message: email('The first three weeks of a tank', 'Water first, fish later', [
        {
          id: 'hello',
          kind: 'text',
          text: `${hello}\n\nA new tank needs about three weeks before fish move in. Fill it, plant it, let the filter run, and test the water twice a week. When ammonia and nitrite stay at nothing, it is ready.`,
        },
        { id: 'tests', kind: 'button', label: 'See our water tests', url: 'http://localhost/outside/shop/p/QF-W002' },
      ]),
    },
    { id: 'run-in', kind: 'wait', for: 'P11D' },
    {
      id: 'by-size',
      kind: 'branch',
      name: 'By order value',
      arms: [
        {
          id: 'set-up',
          name: 'Set up a tank',
          when: { test: 'trigger', property: 'value', op: 'atLeast', value: 80 },
          steps: [
            {
              id: 'ready',
              kind: 'send',
              name: 'Is it ready for fish?',
              message: email('Is your tank ready for fish?', 'Three signs that it is', [
                {
                  id: 'hello',
                  kind: 'text',
                  text: `${hello}\n\nClear water, plants that grow, and three clean tests in a row: then it is time. Bring the first few fish, wait a week, then the next.`,
                },
                { id: 'food', kind: 'button', label: 'Food for the first week', url: 'http://localhost/outside/shop/p/QF-N001' },
              ]),
            },
          ],
        },
        {
          id: 'topped-up',
          name: 'Bought supplies',
          when: null,
          steps: [
            {
              id: 'run-out',
              kind: 'send',
              name: 'Running low?',
              message: email('Running low on anything?', 'The things that are used up first', [
                {
                  id: 'hello',
                  kind: 'text',
                  text: `${hello}\n\nFood, filter sponges and test strips are what runs out first. Here is where they are:`,
                },
                { id: 'shop', kind: 'button', label: 'Top up', url: 'http://localhost/outside/shop' },
              ]),
            },
          ],
        },
      ],
    },
  ],
};

/** A flow that is still being written: it has never been published. */
export const winBack: FlowDocument = {
  schema: 'viatic.flow/1',
  name: 'Quiet for ninety days',
  triggers: [{ id: 'start', kind: 'silence', event: 'order.placed', key: null, after: 'P90D', unless: null }],
  entry: canBeEmailed,
  stay: noOrderSinceEntering,
  reentry: 'always',
  goal: { event: 'order.placed', within: 'P14D', ends: true },
  steps: [
    {
      id: 'how-is-it',
      kind: 'send',
      name: 'How is your tank?',
      message: email('How is your tank, {{ person.firstName }}?', '', [
        { id: 'hello', kind: 'text', text: `${hello}\n\nIt has been a while. How is the tank doing?` },
      ]),
    },
    { id: 'a-week', kind: 'wait', for: 'P7D' },
    {
      id: 'new-plants',
      kind: 'send',
      name: 'New plants',
      off: true,
      message: email('New plants this month', 'Fresh from the growers', [
        { id: 'hello', kind: 'text', text: `${hello}\n\nNew plants have come in this week.` },
      ]),
    },
  ],
};

/** The same with a code of one's own for who left much behind, where the offer's guard lets them have one. */
export const cartWithCode: FlowDocument = changeStep(
  {
    ...cartLeftBehind,
    steps: cartLeftBehind.steps.map((step) =>
      step.kind === 'branch' && step.id === 'by-value'
        ? {
            ...step,
            arms: step.arms.map((arm) =>
              arm.id === 'from-100'
                ? { ...arm, steps: [{ id: 'code', kind: 'code' as const, name: 'Ten off their cart', offer: 'cart-10' }, ...arm.steps] }
                : arm,
            ),
          }
        : step,
    ),
  },
  'big-cart',
  (step) =>
    step.kind === 'send' && step.message.channel === 'email'
      ? {
          ...step,
          message: {
            ...step.message,
            blocks: step.message.blocks.map((block) =>
              block.kind === 'offer'
                ? {
                    ...block,
                    text: 'Order up to {{ offer.expires }} and take 10 % off: your own code is {{ offer.code }}, and the button below has it on it already.',
                  }
                : block.kind === 'button'
                  ? { ...block, url: '{{ event.checkoutUrl | with: "code", offer.code }}' }
                  : block,
            ),
          },
        }
      : step,
);

/** A starter with what is Quillfin's own about it. */
function started(key: string, change: (document: FlowDocument) => FlowDocument = (document) => document): FlowDocument {
  const starter = STARTERS.find((one) => one.key === key);
  if (!starter) throw new Error(`there is no starter ${key}`);
  return change(starter.document);
}

/** Food, plants and tests run out; when they should, is tested: after thirty days, or after forty. */
const usedUp = started('used-up', (document) => ({
  ...document,
  triggers: [
    {
      id: 'start',
      kind: 'event',
      event: 'order.placed',
      key: 'orderId',
      where: [{ property: 'items', any: [{ property: 'category', op: 'oneOf', value: ['food', 'water tests', 'water care'] }] }],
    },
  ],
  steps: [
    {
      id: 'when',
      kind: 'test',
      name: 'Sooner or later',
      per: 'person',
      arms: [
        { id: 'sooner', name: 'After 30 days', when: null, share: 50, steps: [{ id: 'thirty', kind: 'wait', for: 'P30D' }] },
        { id: 'later', name: 'After 40 days', when: null, share: 50, steps: [{ id: 'forty', kind: 'wait', for: 'P40D' }] },
      ],
    },
    ...document.steps.filter((step) => step.kind === 'send'),
  ],
  checks: [],
}));

/** Asked by one subject or by another, and a quarter not at all: so that it shows what asking brings. */
const lookedNotBought = started('looked-not-bought', (document) => {
  const [step] = document.steps;
  if (step?.kind !== 'send' || step.message.channel !== 'email') return document;
  const plain = { ...step, id: 'plain', name: 'Plain subject', message: { ...step.message, subject: 'Can we help you choose?' } };
  return {
    ...document,
    // whoever has left a cart is written to about that
    entry: document.entry && { all: [document.entry, { test: 'didNot' as const, event: 'cart.updated', since: { last: 'P2D' } }] },
    control: 25,
    goal: { event: 'order.placed', within: 'P1D', ends: true },
    steps: [
      {
        id: 'subject',
        kind: 'test',
        name: 'Which subject',
        per: 'person',
        arms: [
          { id: 'by-name', name: 'Names the product', when: null, share: 50, steps: [step] },
          { id: 'without', name: 'Offers help', when: null, share: 50, steps: [plain] },
        ],
      },
    ],
    checks: [],
  };
});

/** Tanklog, the app: each step is asked for only as long as it has not been done. */
const tanklogStart: FlowDocument = {
  schema: 'viatic.flow/1',
  name: 'First days with Tanklog',
  triggers: [{ id: 'start', kind: 'event', event: 'account.created', key: null }],
  entry: canBeEmailed,
  stay: null,
  reentry: 'once',
  goal: { event: 'app.reminder_set', within: 'P30D', ends: true },
  steps: [
    {
      id: 'until-tank',
      kind: 'wait',
      for: 'P1D',
      until: { event: 'app.tank_added' },
      arms: [
        { id: 'has-tank', name: 'Added a tank', when: null, steps: [] },
        {
          id: 'no-tank',
          name: 'No tank yet',
          when: null,
          steps: [
            {
              id: 'add-tank',
              kind: 'send',
              name: 'Add your tank',
              message: email('Your tank takes two minutes', 'Its size, its age, what lives in it', [
                {
                  id: 'hello',
                  kind: 'text',
                  text: `${hello}\n\nTell Tanklog how large your tank is and since when it stands. Everything else follows from that.`,
                },
              ]),
            },
          ],
        },
      ],
    },
    {
      id: 'until-test',
      kind: 'wait',
      for: 'P4D',
      until: { event: 'app.water_tested' },
      arms: [
        { id: 'tested', name: 'Tested the water', when: null, steps: [] },
        {
          id: 'not-tested',
          name: 'No test yet',
          when: null,
          steps: [
            {
              id: 'first-test',
              kind: 'send',
              name: 'Your first water test',
              message: email('Five drops, one colour', 'How the first water test goes', [
                {
                  id: 'hello',
                  kind: 'text',
                  text: `${hello}\n\nFill the tube, five drops, wait a minute, hold it to the card. Tanklog keeps the value and tells you what it means.`,
                },
                { id: 'tests', kind: 'button', label: 'Water tests', url: 'http://localhost/outside/shop/p/QF-W002' },
              ]),
            },
          ],
        },
      ],
    },
    {
      id: 'reminder',
      kind: 'send',
      name: 'Let it remind you',
      message: email('Let Tanklog think of the water change', 'One reminder a week is enough', [
        {
          id: 'hello',
          kind: 'text',
          text: `${hello}\n\nSet a reminder for the day that suits you: most keepers change a third of the water on a Sunday.`,
        },
      ]),
    },
  ],
};

/** Quillfin's offers, by key. */
export const demoOffers: Offers = new Map([
  [
    'cart-10',
    {
      schema: 'viatic.offer/1',
      name: 'Ten off a left cart',
      gives: { kind: 'percent', percent: 10 },
      currency: 'EUR',
      minimum: 100,
      combines: false,
      expires: { after: 'P3D' },
      comesBack: true,
      who: null,
      guard: { gap: 'P30D', carts: { over: 3, within: 'P60D' }, always: 2, shared: true },
      code: { prefix: '{{ person.firstName | fallback: "FIN" }}', letters: 6 },
    },
  ],
]);

/** The demo's flows with the key of each and whether it is on. Links to the shop follow the address it runs at. */
export function demoFlows(baseUrl: string): { key: string; document: FlowDocument; isOn: boolean }[] {
  const placed = (document: FlowDocument): FlowDocument =>
    JSON.parse(JSON.stringify(document).replaceAll('http://localhost/', `${baseUrl}/`)) as FlowDocument;
  const flow = (key: string, document: FlowDocument, about: Pick<FlowDocument, 'stage' | 'owner' | 'tags'>, isOn = true) => ({
    key,
    document: placed({ ...document, ...about }),
    isOn,
  });
  return [
    flow('cart-left-behind', cartWithCode, { stage: 'lead', owner: 'Marla Quist', tags: ['cart'] }),
    flow('first-order', { ...firstOrder, control: 10 }, { stage: 'first-order', owner: 'Marla Quist', tags: ['welcome'] }),
    flow('looked-not-bought', lookedNotBought, { stage: 'lead', owner: 'Ines Halm', tags: ['browsing'] }),
    flow('used-up', usedUp, { stage: 'more', owner: 'Ines Halm', tags: ['consumables'] }),
    flow('birthday', started('birthday'), { stage: 'loyal', owner: 'Ines Halm' }),
    flow('there-again', started('there-again'), { stage: 'more', owner: 'Marla Quist' }),
    flow('tanklog-first-days', tanklogStart, { stage: 'first-order', owner: 'Tom Brandt', tags: ['Tanklog'] }),
    flow('trial-to-paid', started('trial-to-paid'), { stage: 'more', owner: 'Tom Brandt', tags: ['Tanklog'] }),
    flow('order-status', started('order-status'), { stage: 'first-order', owner: 'Marla Quist', tags: ['service'] }),
    flow('quiet-for-ninety-days', winBack, { stage: 'loyal', owner: 'Marla Quist' }, false),
  ];
}
