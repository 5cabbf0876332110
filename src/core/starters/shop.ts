import { BOUGHT_WITH, button, CAN_BE_EMAILED, flow, letter, NO_ORDER_SINCE, service, wait, type Starter } from './parts';

const cart = { cartId: 'c-1', value: 60, currency: 'EUR', checkoutUrl: 'https://shop.example/cart/c-1' };
const order = (orderId: string, value = 60) => ({ orderId, value, currency: 'EUR' });

/** Flows around buying. */
export const SHOP: readonly Starter[] = [
  {
    key: 'cart-left-behind',
    name: 'Cart left behind',
    says:
      'An hour after a cart was left, it is sent after its owner with all that is in it. Who has not ordered a ' +
      'day later hears of it once more, and then never again for that cart.',
    needs: ['cart.updated'],
    document: flow('Cart left behind', {
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
      entry: CAN_BE_EMAILED,
      stay: NO_ORDER_SINCE,
      reentry: 'once-per-key',
      goal: { event: 'order.placed', within: 'P7D', ends: true },
      steps: [
        letter(
          'your-cart',
          'Your cart',
          'Your cart is still here',
          'Just as you left it',
          'You chose these and then something came between. We kept them for you.',
          [{ id: 'cart', kind: 'cart' }, button('Back to my cart', '{{ event.checkoutUrl }}')],
        ),
        wait('a-day', 'P1D'),
        letter(
          'once-more',
          'Once more',
          'Shall we put it back on the shelf?',
          'A last word about your cart',
          'This is the last we write about this cart. If you want it, it is here.',
          [{ id: 'cart', kind: 'cart' }, button('Back to my cart', '{{ event.checkoutUrl }}')],
        ),
      ],
      checks: [
        {
          name: 'A cart that is left gets both letters',
          events: [{ type: 'cart.updated', after: 'PT1M', data: cart }],
          expects: { sends: ['your-cart', 'once-more'], goal: false },
        },
        {
          name: 'Who orders after the first gets no second',
          events: [
            { type: 'cart.updated', after: 'PT1M', data: cart },
            { type: 'order.placed', after: 'PT5H', data: { ...order('o-1'), cartId: 'c-1' } },
          ],
          expects: { sends: ['your-cart'], goal: true },
        },
      ],
    }),
  },
  {
    key: 'looked-not-bought',
    name: 'Looked at, not bought',
    says:
      'Who looked at the same product twice and went away is reminded of it half a day later. It asks how it ' +
      'can help rather than pushing, and at most once in two weeks.',
    needs: ['product.viewed'],
    document: flow('Looked at, not bought', {
      triggers: [{ id: 'start', kind: 'silence', event: 'product.viewed', key: 'sku', after: 'PT12H', unless: { event: 'order.placed' } }],
      entry: {
        all: [
          CAN_BE_EMAILED,
          { test: 'did', event: 'product.viewed', times: 2, since: { last: 'P2D' } },
          { test: 'didNot', event: 'order.placed', since: { last: 'P2D' } },
        ],
      },
      stay: NO_ORDER_SINCE,
      reentry: { after: 'P14D' },
      goal: { event: 'order.placed', within: 'P7D', ends: true },
      steps: [
        letter(
          'still-thinking',
          'Still thinking about it',
          'Still thinking about {{ event.name | fallback: "it" }}?',
          'Ask us anything',
          'You had another look at {{ event.name | fallback: "something of ours" }}. If there is a question that ' +
            'keeps you from deciding, answer this letter: somebody who knows it reads it.',
        ),
      ],
      checks: [
        {
          name: 'Two looks are a reason to write, one is not',
          events: [
            { type: 'product.viewed', after: 'PT1M', data: { sku: 'A' } },
            { type: 'product.viewed', after: 'PT2H', data: { sku: 'A' } },
          ],
          expects: { sends: ['still-thinking'] },
        },
        { name: 'One look is left alone', events: [{ type: 'product.viewed', after: 'PT1M', data: { sku: 'A' } }], expects: { sends: [] } },
      ],
    }),
  },
  {
    key: 'welcome',
    name: 'Welcome',
    says:
      'Whoever joins a list is greeted at once, and told after two days what the shop is about. Who has ordered ' +
      'before hears a thank-you instead of an introduction.',
    needs: ['list.joined'],
    document: flow('Welcome', {
      triggers: [{ id: 'start', kind: 'event', event: 'list.joined', key: null }],
      entry: CAN_BE_EMAILED,
      stay: null,
      reentry: 'once',
      goal: { event: 'order.placed', within: 'P14D', ends: true },
      steps: [
        {
          id: 'known',
          kind: 'branch',
          name: 'Have they ordered before',
          arms: [
            {
              id: 'customer',
              name: 'Has ordered',
              when: { test: 'did', event: 'order.placed', since: 'ever' },
              steps: [
                letter(
                  'glad',
                  'Glad you are here',
                  'Good to have you closer',
                  'What you will hear from us',
                  'You know us already, so this is short: from now on you hear first what is new, and nothing more often ' + 'than that.',
                ),
              ],
            },
            {
              id: 'newcomer',
              name: 'Is new',
              when: null,
              steps: [
                letter(
                  'hello',
                  'Hello',
                  'Welcome to {{ store.name }}',
                  'What you will hear from us',
                  'Thank you for joining. We write when there is something worth your time, and you can leave with one click.',
                ),
                wait('two-days', 'P2D'),
                letter(
                  'about-us',
                  'About us',
                  'Who we are, in one minute',
                  'And what we do differently',
                  'We are a small team, and we answer every letter ourselves. If you are looking for something and do not ' +
                    'find it, tell us: we know our shelves by heart.',
                ),
              ],
            },
          ],
        },
      ],
      checks: [
        {
          name: 'Somebody new gets both letters',
          events: [{ type: 'list.joined', after: 'PT1M', data: { list: 'news' } }],
          expects: { sends: ['hello', 'about-us'] },
        },
        {
          name: 'Who orders in between is not introduced any more',
          events: [
            { type: 'list.joined', after: 'PT1M', data: { list: 'news' } },
            { type: 'order.placed', after: 'P1D', data: order('o-1') },
          ],
          expects: { sends: ['hello'], goal: true },
        },
      ],
    }),
  },
  {
    key: 'first-order',
    name: 'First order',
    says:
      'After somebody’s first order they are thanked, told a week later how to get the most of it, and asked ' +
      'after three weeks how it went. It ends when they order again, and nothing of it goes out when the order ' +
      'is cancelled.',
    needs: [],
    document: flow('First order', {
      triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' }],
      entry: { all: [CAN_BE_EMAILED, { test: 'didNot', event: 'order.placed', times: 2, since: 'ever' }] },
      stay: { test: 'didNot', event: 'order.cancelled', since: 'entry' },
      reentry: 'once',
      goal: { event: 'order.placed', within: 'P60D', ends: true },
      steps: [
        wait('an-hour', 'PT1H'),
        letter(
          'thanks',
          'Thanks',
          'Thank you for your first order',
          'What happens now',
          'Your order is in good hands. We pack it ourselves, and you hear from us as soon as it is on its way.',
          [{ id: 'order', kind: 'order' }],
        ),
        wait('a-week', 'P7D'),
        letter(
          'make-the-most',
          'Make the most of it',
          'Getting the most out of it',
          'Three things that help',
          'By now it should be with you. Take your time with it; if anything is not as it should be, answer this ' +
            'letter and we put it right.',
        ),
        wait('two-weeks', 'P14D'),
        letter(
          'how-was-it',
          'How was it',
          'How did it go?',
          'One line is enough',
          'We would like to know how you got on. One line is enough, good or bad: it is read by the people who made it.',
          [{ id: 'how', kind: 'rating', question: 'How do you like it?', scale: 'five' }],
        ),
      ],
      checks: [
        {
          name: 'A first order gets three letters',
          events: [{ type: 'order.placed', after: 'PT1M', data: order('o-1') }],
          expects: { sends: ['thanks', 'make-the-most', 'how-was-it'], goal: false },
        },
        {
          name: 'A cancelled order is not asked about',
          events: [
            { type: 'order.placed', after: 'PT1M', data: order('o-1') },
            { type: 'order.cancelled', after: 'P2D', data: { orderId: 'o-1' } },
          ],
          expects: { sends: ['thanks'] },
        },
      ],
    }),
  },
  {
    key: 'second-order',
    name: 'Second order',
    says:
      'Who has ordered once and not again within four weeks is shown what others took next. Half of them, by ' +
      'lot, get a small offer in the second letter, so that it shows whether it is needed.',
    needs: [],
    document: flow('Second order', {
      triggers: [{ id: 'start', kind: 'silence', event: 'order.placed', key: null, after: 'P28D', unless: null }],
      entry: {
        all: [
          CAN_BE_EMAILED,
          { test: 'did', event: 'order.placed', since: 'ever' },
          { test: 'didNot', event: 'order.placed', times: 2, since: 'ever' },
        ],
      },
      stay: NO_ORDER_SINCE,
      reentry: 'once',
      control: 10,
      goal: { event: 'order.placed', within: 'P30D', ends: true },
      steps: [
        letter(
          'next-idea',
          'Next idea',
          'What goes well with it',
          'From people who bought the same',
          'A month ago you ordered from us for the first time. If you wonder what to look at next: answer this ' +
            'letter with what you have, and we tell you what fits.',
          [BOUGHT_WITH],
        ),
        wait('a-week', 'P7D'),
        {
          id: 'offer-or-not',
          kind: 'test',
          name: 'Offer or not',
          per: 'person',
          arms: [
            {
              id: 'with-offer',
              name: 'With an offer',
              when: null,
              share: 50,
              steps: [
                letter(
                  'come-back',
                  'Come back',
                  'Something for your next order',
                  'For the next two weeks',
                  'We would like to see you again.',
                  [{ id: 'offer', kind: 'offer', text: 'Your second order is sent free of charge. Tell us in the note of the order.' }],
                ),
              ],
            },
            {
              id: 'without',
              name: 'Without',
              when: null,
              share: 50,
              steps: [
                letter(
                  'come-back-plain',
                  'Come back, plainly',
                  'What is new since you were here',
                  'A short look',
                  'Some things have arrived since you ordered. If you have an idea what you need next, we help you choose.',
                  [{ id: 'new', kind: 'products', from: { by: 'newest' }, most: 3, layout: 'cards' }],
                ),
              ],
            },
          ],
        },
      ],
      checks: [
        {
          name: 'A second order in time keeps everybody out',
          events: [
            { type: 'order.placed', after: 'PT1M', data: order('o-1') },
            { type: 'order.placed', after: 'P20D', data: order('o-2') },
          ],
          expects: { sends: [] },
        },
      ],
    }),
  },
  {
    key: 'goes-well-with',
    name: 'Goes well with it',
    says:
      'Two weeks after an order of a certain category, what is commonly needed beside it is suggested. Choose ' +
      'the category in the trigger; who has bought from it more than once is left alone.',
    needs: [],
    document: flow('Goes well with it', {
      triggers: [
        {
          id: 'start',
          kind: 'event',
          event: 'order.placed',
          key: 'orderId',
          where: [{ property: 'items', any: [{ property: 'category', op: 'is', value: 'Starter sets' }] }],
        },
      ],
      entry: CAN_BE_EMAILED,
      stay: NO_ORDER_SINCE,
      reentry: 'once',
      goal: { event: 'order.placed', within: 'P30D', ends: true },
      steps: [
        wait('two-weeks', 'P14D'),
        letter(
          'beside-it',
          'Beside it',
          'What is commonly needed next',
          'By now you will have noticed',
          'By now you will have used it a few times. These are the things that others wished they had ordered with it.',
          [BOUGHT_WITH],
        ),
      ],
      checks: [
        {
          name: 'An order of the category is written to',
          events: [
            { type: 'order.placed', after: 'PT1M', data: { ...order('o-1'), items: [{ sku: 'S', category: 'Starter sets', price: 60 }] } },
          ],
          expects: { sends: ['beside-it'] },
        },
        {
          name: 'Any other order is not',
          events: [{ type: 'order.placed', after: 'PT1M', data: { ...order('o-1'), items: [{ sku: 'S', category: 'Books', price: 60 }] } }],
          expects: { sends: [] },
        },
      ],
    }),
  },
  {
    key: 'used-up',
    name: 'Should be used up',
    says:
      'When what was bought should be used up, its buyer is reminded to order it again. Who has ordered ' + 'anything meanwhile is not.',
    needs: [],
    document: flow('Should be used up', {
      triggers: [
        {
          id: 'start',
          kind: 'event',
          event: 'order.placed',
          key: 'orderId',
          where: [{ property: 'items', any: [{ property: 'category', op: 'is', value: 'Supplies' }] }],
        },
      ],
      entry: CAN_BE_EMAILED,
      stay: NO_ORDER_SINCE,
      reentry: 'once-per-key',
      goal: { event: 'order.placed', within: 'P60D', ends: true },
      steps: [
        wait('as-long-as-it-lasts', 'P40D'),
        letter(
          'running-low',
          'Running low',
          'Are you running low?',
          'It should be used up about now',
          'It is about six weeks since you ordered, and it should be nearly used up. If you want the same again, it ' + 'takes a minute.',
          [{ id: 'order', kind: 'order' }],
        ),
      ],
      checks: [
        {
          name: 'Six weeks later it is asked for',
          events: [
            { type: 'order.placed', after: 'PT1M', data: { ...order('o-1'), items: [{ sku: 'S', category: 'Supplies', price: 12 }] } },
          ],
          expects: { sends: ['running-low'], goal: false },
        },
      ],
    }),
  },
  {
    key: 'long-quiet',
    name: 'Long quiet',
    says:
      'Who has not ordered for ninety days is asked whether anything was wrong, and a week later shown what is ' +
      'new. A tenth, by lot, is left alone, to show what the flow really brings.',
    needs: [],
    document: flow('Long quiet', {
      triggers: [{ id: 'start', kind: 'silence', event: 'order.placed', key: null, after: 'P90D', unless: null }],
      entry: CAN_BE_EMAILED,
      stay: NO_ORDER_SINCE,
      reentry: { after: 'P180D' },
      control: 10,
      goal: { event: 'order.placed', within: 'P30D', ends: true },
      steps: [
        letter(
          'was-it-us',
          'Was it us',
          'Was it something we did?',
          'You have not been here for a while',
          'You have not ordered for some time. If something was not right, tell us: we would rather know.',
        ),
        wait('a-week', 'P7D'),
        letter(
          'whats-new',
          'What is new',
          'What has changed since you were here',
          'A short look',
          'A few things have changed since your last order. Have a look when you find the time; we do not write ' + 'about it again.',
          [{ id: 'new', kind: 'products', from: { by: 'newest' }, otherwise: { by: 'best-sold', days: 90 }, most: 3, layout: 'cards' }],
        ),
      ],
      checks: [
        {
          name: 'Who orders in time hears nothing',
          follow: 'P60D',
          events: [
            { type: 'order.placed', after: 'PT1M', data: order('o-1') },
            { type: 'order.placed', after: 'P80D', data: order('o-2') },
          ],
          expects: { sends: [] },
        },
      ],
    }),
  },
  {
    key: 'birthday',
    name: 'Birthday',
    says:
      'On the day that stands under “birthday”, people are wished well in the morning. It comes round each ' +
      'year, and asks for nothing.',
    needs: [],
    document: flow('Birthday', {
      triggers: [{ id: 'start', kind: 'date', event: 'flow.due', key: 'occasion', name: 'birthday', yearly: true, days: 0, at: '09:00' }],
      entry: CAN_BE_EMAILED,
      stay: null,
      reentry: 'once-per-key',
      goal: { event: 'order.placed', within: 'P14D', ends: true },
      steps: [
        letter(
          'many-happy',
          'Many happy returns',
          'Many happy returns',
          'From all of us',
          'All of us at {{ store.name }} wish you a good day and a good year.',
        ),
      ],
    }),
  },
  {
    key: 'there-again',
    name: 'There again',
    says:
      'Who looked at a product or had it in a cart hears of it once it is there again, and of nothing else. Who has bought ' +
      'anything in the meantime is left alone.',
    needs: ['product.viewed'],
    document: flow('There again', {
      triggers: [
        {
          id: 'start',
          kind: 'product',
          event: 'product.restocked',
          key: 'change',
          relates: [
            { by: 'viewed', within: 'P30D' },
            { by: 'cart', within: 'P60D' },
          ],
        },
      ],
      entry: { all: [CAN_BE_EMAILED, { test: 'didNot', event: 'order.placed', since: { last: 'P7D' } }] },
      stay: NO_ORDER_SINCE,
      reentry: 'once-per-key',
      goal: { event: 'order.placed', within: 'P7D', ends: true },
      steps: [
        letter(
          'it-is-back',
          'It is back',
          '{{ event.name | fallback: "What you looked for" }} is there again',
          'You looked for it while it was gone',
          '{{ event.name | fallback: "What you looked for" }} has come back. We cannot say for how long.',
          [{ id: 'cart', kind: 'cart' }, button('Have a look', '{{ event.url }}')],
        ),
      ],
    }),
  },
  {
    key: 'costs-less',
    name: 'Costs less',
    says:
      'When a product becomes at least a tenth cheaper, those who had it in a cart or looked at it lately are told once. Who has ' +
      'just bought is spared it.',
    needs: ['product.viewed'],
    document: flow('Costs less', {
      triggers: [
        {
          id: 'start',
          kind: 'product',
          event: 'product.repriced',
          key: 'change',
          where: [{ property: 'by', op: 'atMost', value: -10 }],
          relates: [
            { by: 'viewed', within: 'P14D' },
            { by: 'cart', within: 'P30D' },
          ],
        },
      ],
      entry: { all: [CAN_BE_EMAILED, { test: 'didNot', event: 'order.placed', since: { last: 'P14D' } }] },
      stay: NO_ORDER_SINCE,
      reentry: { after: 'P7D' },
      goal: { event: 'order.placed', within: 'P7D', ends: true },
      steps: [
        letter(
          'cheaper-now',
          'Cheaper now',
          '{{ event.name | fallback: "Something you looked at" }} costs less now',
          'Since you looked, its price has fallen',
          'You looked at {{ event.name | fallback: "something" }} lately. It costs less now than it did then.',
          [{ id: 'cart', kind: 'cart' }, button('Have a look', '{{ event.url }}')],
        ),
      ],
    }),
  },
  {
    key: 'order-status',
    name: 'Where the parcel is',
    says:
      'When a parcel leaves, its owner is told, and asked how they like it a week after it has really arrived. Who cancels ' +
      'hears nothing more of it.',
    needs: ['order.shipped', 'order.delivered'],
    document: flow('Where the parcel is', {
      triggers: [{ id: 'start', kind: 'event', event: 'order.shipped', key: 'orderId' }],
      entry: null,
      stay: { test: 'didNot', event: 'order.cancelled', since: 'entry' },
      reentry: 'once-per-key',
      goal: null,
      steps: [
        service(
          'on-its-way',
          'On its way',
          'Your parcel is on its way',
          'It left us just now',
          'What you ordered has left us: {{ event.orderId | fallback: "its number stands in your first mail" }}.',
          [{ id: 'order', kind: 'order' }],
        ),
        {
          id: 'until-there',
          kind: 'wait',
          for: 'P21D',
          until: { event: 'order.delivered' },
          arms: [
            {
              id: 'arrived',
              name: 'It arrived',
              when: null,
              steps: [
                wait('a-week-with-it', 'P7D'),
                letter(
                  'how-is-it',
                  'How is it',
                  'How do you like it?',
                  'A week with it',
                  'You have had it for a week. If something is not as you hoped, answer this letter; if it is, tell others.',
                ),
              ],
            },
            {
              id: 'lost',
              name: 'Three weeks, and not there',
              when: null,
              steps: [
                {
                  id: 'look-for-it',
                  kind: 'task',
                  name: 'Look for the parcel',
                  text: 'Order {{ event.orderId }} was sent three weeks ago and has not been delivered.',
                  owner: { to: '' },
                  within: 'P3D',
                },
              ],
            },
          ],
        },
      ],
      checks: [
        {
          name: 'Nobody is asked how they like it before it is there',
          events: [{ type: 'order.shipped', after: 'PT1M', data: { orderId: 'o-1' } }],
          expects: { sends: ['on-its-way'] },
        },
        {
          name: 'A week after it has arrived they are asked',
          events: [
            { type: 'order.shipped', after: 'PT1M', data: { orderId: 'o-1' } },
            { type: 'order.delivered', after: 'P4D', data: { orderId: 'o-1' } },
          ],
          expects: { sends: ['on-its-way', 'how-is-it'] },
        },
      ],
    }),
  },
];
