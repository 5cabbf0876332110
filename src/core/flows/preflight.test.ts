import { describe, expect, it } from 'vitest';
import { failedChecks, runChecks } from '../replay';
import { flowSchema, type FlowDocument, type Step } from './document';
import { mendOf } from './mends';
import type { Lately } from './lately';
import { preflight } from './preflight';
import type { Check } from './rehearsed';
import { inLanguage } from './steps';
import { ANY_OFFERS, codeLetter, flowWith, letter } from './testing/asking';

const NOTHING: Lately = { days: 90, arms: [], others: [], reach: null, limited: null, properties: [], newForms: [] };
const stays = { test: 'didNot', event: 'order.placed', since: 'entry' } as const;
const flowOf = (steps: Step[], more: Partial<FlowDocument> = {}) => flowWith({ stay: stays, steps, ...more });
const codes = (flow: FlowDocument, lately: Lately | null = null, key = 'f') =>
  preflight(flow, null, null, lately, key).map(({ code }) => code);
const says = (flow: FlowDocument, lately: Lately | null = null, key = 'f') =>
  preflight(flow, null, null, lately, key).map((one) => one.says);
const offer = (id: string): Step => {
  const step = letter(id);
  return { ...step, message: { ...step.message, blocks: [{ id: 'b1', kind: 'offer', text: '10 % off' }] } };
};
const branch = (id: string, arms: Step[][]): Step => ({
  id,
  kind: 'branch',
  name: id,
  arms: arms.map((steps, n) => ({
    id: `${id}-${n}`,
    name: `Arm ${n}`,
    when: n < arms.length - 1 ? { test: 'trigger', property: 'value', op: 'atLeast', value: 10 } : null,
    steps,
  })),
});

describe('the preflight reads a flow as people walk it', () => {
  it('finds offers on every path, and two to the same person', () => {
    expect(codes(flowOf([branch('b', [[offer('o1')], [offer('o2')]])]))).toEqual(['offer-on-every-path']);
    expect(codes(flowOf([branch('b', [[offer('o1')], [letter('l')]])]))).toEqual([]);
    expect(codes(flowOf([branch('b', [[offer('o1')], [letter('l')]]), { id: 'w', kind: 'wait', for: 'P1D' }, offer('o2')]))).toEqual([
      'offer-on-every-path',
      'two-offers',
    ]);
    // one is enough for a path, and arms shut each other out
    expect(codes(flowOf([letter('l'), offer('o1')]))).toEqual([]);
  });

  it('points out a message without a version in a language in which another has one', () => {
    const inDutch = (id: string, code = 'nl'): Step => {
      const step = letter(id);
      return { ...step, versions: [{ id: `${id}-v`, name: 'Theirs', when: inLanguage(code), message: step.message }] };
    };
    expect(says(flowOf([inDutch('first'), branch('b', [[letter('second')], []])]))).toEqual([
      '“second” has no version in Dutch, and “first” has',
    ]);
    expect(codes(flowOf([inDutch('first'), inDutch('second', 'de')]))).toEqual(['no-version-in-nl', 'no-version-in-de']);
    expect(codes(flowOf([inDutch('first'), inDutch('second')]))).toEqual([]);
    // what is off, a version for another group, and what only looks like a language ask for nothing
    expect(codes(flowOf([inDutch('first'), { ...letter('second'), off: true }, inDutch('third')]))).toEqual(['message-off']);
    expect(codes(flowOf([inDutch('first', 'not a code'), letter('second')]))).toEqual([]);
  });

  it('stops a text of more than ten messages, and warns of one of more than three', () => {
    const text = (letters: number): Step => ({
      id: 't',
      kind: 'send',
      name: 'Text',
      message: { schema: 'viatic.message/1', channel: 'sms', kind: 'marketing', text: 'x'.repeat(letters) },
    });
    expect(codes(flowOf([text(459)]))).not.toContain('text-long');
    expect(codes(flowOf([text(460)]))).toContain('text-long');
    expect(codes(flowOf([text(1530)]))).toContain('text-long');
    expect(codes(flowOf([text(1531)]))).toContain('text-too-long');
  });

  it('finds a message that asks how they like what cannot be there yet, and one for which the parcel is waited for', () => {
    const review = (id: string): Step => {
      const step = letter(id);
      return { ...step, message: { ...step.message, subject: 'How do you like your new tank?' } };
    };
    const wait = (more: object): Step => ({ id: 'w', kind: 'wait', ...more }) as Step;
    const asks = (steps: Step[], more: Partial<FlowDocument> = {}) =>
      codes(flowOf(steps, more)).filter((code) => code === 'parcel-not-there');
    expect(asks([review('a')])).toEqual(['parcel-not-there']);
    expect(asks([wait({ for: 'P4D' }), review('a')])).toEqual(['parcel-not-there']);
    expect(asks([wait({ for: 'P5D' }), review('a')])).toEqual([]);
    expect(asks([letter('thanks')])).toEqual([]);
    const parcel = { is: 'delivered', estimates: [], otherwise: 'P3D' };
    expect(asks([wait({ parcel }), review('a')])).toEqual([]);
    expect(asks([wait({ parcel: { ...parcel, is: 'shipped' } }), review('a')])).toEqual(['parcel-not-there']);
    expect(asks([wait({ for: 'P9D', until: { event: 'order.delivered' } }), review('a')])).toEqual([]);
    // one of two ways waits for it, the other does not
    expect(asks([branch('b', [[wait({ parcel })], []]), review('a')])).toEqual(['parcel-not-there']);
    expect(asks([review('a')], { triggers: [{ id: 's', kind: 'event', event: 'order.delivered', key: 'orderId' }] })).toEqual([]);
  });

  it('finds that more want to enter than may', () => {
    const flow = { ...flowOf([letter('l')]), perDay: { most: 10, beyond: 'wait' as const } };
    const reach = (people: number) => ({ ...NOTHING, reach: { people, canBeEmailed: people } });
    expect(codes(flow, reach(901))).toEqual(['queue-grows']);
    expect(codes(flow, reach(900))).toEqual([]);
    expect(codes({ ...flow, perDay: { most: 10, beyond: 'drop' } }, reach(9000))).toEqual([]);
  });

  it('finds codes that are told of and not there, over by then, never told of, or given to whoever leaves a cart', () => {
    const code: Step = { id: 'code', kind: 'code', name: 'Ten', offer: 'ten' };
    const unguarded = new Map([['ten', { ...ANY_OFFERS.get('ten')!, guard: {} }]]);
    const found = (steps: Step[], offers = ANY_OFFERS, more: Partial<FlowDocument> = {}) =>
      preflight(flowOf(steps, more), null, null, null, 'f', offers)
        .map(({ code: one }) => one)
        .filter((one) => one.includes('code') || one === 'offer-unguarded');
    const wait = (duration: string): Step => ({ id: `w${duration.toLowerCase()}`, kind: 'wait', for: duration });
    expect(found([code, codeLetter('a')])).toEqual([]);
    expect(found([codeLetter('a'), code])).toEqual(['no-code-before', 'code-not-told']);
    // it counts for three days, to the end of the last one
    expect(found([code, wait('P3D'), codeLetter('a')])).toEqual([]);
    expect(found([code, wait('P4D'), codeLetter('a')])).toEqual(['code-over-before']);
    expect(found([code, branch('b', [[wait('P5D')], []]), codeLetter('a')])).toEqual([]);
    expect(found([code, branch('b', [[wait('P5D'), codeLetter('a')], [codeLetter('c')]])])).toEqual(['code-over-before']);
    expect(found([code, letter('a')])).toEqual(['code-not-told']);
    // of its arms only the first has one
    const arms = (steps: [Step[], Step[]]): Step => ({
      ...code,
      arms: steps.map((of, n) => ({ id: `arm-${n}`, name: `Arm ${n}`, when: null, steps: of })),
    });
    expect(found([arms([[codeLetter('a')], [letter('b')]])])).toEqual([]);
    expect(found([arms([[letter('a')], [codeLetter('b')]])])).toEqual(['no-code-before', 'code-not-told']);
    const cart = { triggers: [{ id: 'start', kind: 'event', event: 'cart.updated', key: 'cartId' } as const] };
    expect(found([code, codeLetter('a')], ANY_OFFERS, cart)).toEqual([]);
    expect(found([code, codeLetter('a')], unguarded, cart)).toEqual(['offer-unguarded']);
  });

  it('finds a button that leads nowhere, a first wait out of proportion, and no way out', () => {
    const step = letter('l');
    const withButton = (url: string): Step => ({
      ...step,
      message: { ...step.message, blocks: [{ id: 'b', kind: 'button', label: 'Go', url }, ...step.message.blocks] },
    });
    expect(codes(flowOf([withButton('shop.example')]))).toEqual(['link-leads-nowhere']);
    for (const url of ['https://shop.example/', '{{ event.url }}']) expect(codes(flowOf([withButton(url)]))).toEqual([]);
    const cart = {
      triggers: [{ id: 'start', kind: 'silence', event: 'cart.updated', key: 'cartId', after: 'PT1H', unless: null } as const],
    };
    expect(codes(flowOf([{ id: 'w', kind: 'wait', for: 'P10D' }, letter('l')], cart))).toEqual(['wait-out-of-proportion']);
    expect(codes(flowOf([{ id: 'w', kind: 'wait', for: 'P1D' }, letter('l')], cart))).toEqual([]);
    expect(codes(flowOf([letter('l')], { stay: null }))).toEqual(['no-way-out']);
    const goal = { event: 'order.placed', within: 'P7D', ends: true };
    expect(codes(flowOf([letter('l')], { stay: null, goal }))).toEqual([]);
  });
});

describe('the preflight by what has happened lately', () => {
  const arms = (first: number, second: number): Lately => ({
    ...NOTHING,
    arms: [
      { step: 'b', arm: 'b-0', people: first },
      { step: 'b', arm: 'b-1', people: second },
    ],
  });

  it('finds an arm that nobody took, where enough came by', () => {
    const flow = flowOf([branch('b', [[letter('x')], [letter('y')]])]);
    expect(says(flow, arms(0, 40))).toEqual(['Nobody took “Arm 0” in the last 90 days, of 40 who came by']);
    expect(codes(flow, arms(0, 19))).toEqual([]);
    expect(codes(flow, arms(3, 40))).toEqual([]);
  });

  it('finds flows that start by the same for the same people, and handing over in a circle', () => {
    const other = { key: 'other', name: 'Other', events: ['order.placed'], handsTo: ['third'], both: 12 };
    expect(says(flowOf([letter('l')]), { ...NOTHING, others: [other] })).toEqual([
      '“Other” starts with order.placed too: 12 people went into both in the last 90 days',
    ]);
    expect(codes(flowOf([letter('l')]), { ...NOTHING, others: [{ ...other, both: 0 }] })).toEqual([]);
    const third = { key: 'third', name: 'Third', events: [], handsTo: ['f'], both: 0 };
    const hands = flowOf([letter('l'), { id: 'h', kind: 'hand', name: 'On', flow: 'other', leaves: false }]);
    expect(says(hands, { ...NOTHING, others: [{ ...other, both: 0 }, third] })).toEqual([
      'People are handed over in a circle: f → other → third → f',
    ]);
    expect(
      codes(hands, {
        ...NOTHING,
        others: [
          { ...other, both: 0 },
          { ...third, handsTo: [] },
        ],
      }),
    ).toEqual([]);
  });

  it('finds a form made later that does not start it, where it names the forms that do', () => {
    const lately = { ...NOTHING, newForms: [{ key: 'fair', name: 'The fair' }] };
    const byForm = (...where: object[]) =>
      flowOf([letter('l')], {
        reentry: 'always',
        triggers: where.map(
          (one, n) => ({ id: `t${n}`, kind: 'event', event: 'form.submitted', key: null, ...one }) as FlowDocument['triggers'][0],
        ),
      });
    const asks = (op: string, value: unknown) => ({ where: [{ property: 'formId', op, value }] });
    const heard = (flow: FlowDocument) => codes(flow, lately).filter((code) => code === 'form-not-heard');
    expect(says(byForm(asks('oneOf', ['letter', 'shop'])), lately)).toContainEqual(
      'The form “The fair” was made after this flow was last published, and does not start it',
    );
    expect(heard(byForm(asks('is', 'letter')))).toHaveLength(1);
    expect(heard(byForm(asks('oneOf', ['letter', 'fair'])))).toEqual([]);
    expect(heard(byForm(asks('is', 'letter'), asks('is', 'fair')))).toEqual([]);
    expect(heard(byForm({}))).toEqual([]);
    expect(heard(byForm(asks('is', 'letter'), {}))).toEqual([]);
    expect(heard(flowOf([letter('l')]))).toEqual([]);
  });

  it('finds that few can be reached, and that limits swallow more than a tenth', () => {
    expect(codes(flowOf([letter('l')]), { ...NOTHING, reach: { people: 100, canBeEmailed: 19 } })).toEqual(['few-can-be-reached']);
    expect(codes(flowOf([letter('l')]), { ...NOTHING, reach: { people: 100, canBeEmailed: 20 } })).toEqual([]);
    expect(codes(flowOf([letter('l')]), { ...NOTHING, limited: { messages: 100, swallowed: 11 } })).toEqual(['limits-swallow']);
    expect(codes(flowOf([letter('l')]), { ...NOTHING, limited: { messages: 100, swallowed: 10 } })).toEqual([]);
  });

  it('finds a property that never came and a value that never occurred, with those that are near', () => {
    const properties: Lately['properties'] = [
      { type: 'order.placed', property: 'country', values: [{ value: 'Netherlands', count: 7 }] },
      { type: 'order.placed', property: 'orderId', values: null },
    ];
    const asks = (property: string, value: string): Partial<FlowDocument> => ({
      triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId', where: [{ property, op: 'is', value }] }],
    });
    const found = (property: string, value: string) =>
      preflight(flowOf([letter('l')], asks(property, value)), null, null, { ...NOTHING, properties }, 'f').map((one) => [
        one.code,
        one.mend,
      ]);
    expect(found('country', 'Netherland')).toEqual([['value-unknown', 'Is one of these meant: Netherlands (7)?']]);
    expect(found('contry', 'Netherlands')).toEqual([['property-unknown', 'Is one of these meant: country?']]);
    expect(found('country', 'Netherlands')).toEqual([]);
    expect(found('orderId', 'anything')).toEqual([]);
  });
});

describe('what is found', () => {
  it('is mended in one act where nobody has to decide', () => {
    const off = { ...letter('l'), off: true } as Step;
    const flow = flowOf([off, { id: 'i', kind: 'idea', text: 'Later' }, { id: 'e', kind: 'end' }, letter('after')], {
      stay: null,
      control: 10,
    });
    let mended = flow;
    for (let n = 0; n < 20; n++) {
      const next = preflight(mended).flatMap((finding) => mendOf(mended, finding)?.document ?? [])[0];
      if (!next) break;
      mended = flowSchema.parse(next);
    }
    expect(preflight(mended)).toEqual([]);
    expect(mended.steps.map(({ id }) => id)).toEqual(['l', 'e']);
    expect(mendOf(flow, { code: 'no-subject', stepId: 'l' })).toBeNull();
    const short = flowOf([{ id: 'w', kind: 'wait', for: 'P20D' }, letter('l')], {
      goal: { event: 'order.placed', within: 'P7D', ends: true },
    });
    expect(mendOf(short, { code: 'goal-window', stepId: null })!.document.goal!.within).toBe('P27D');
  });

  it('can be accepted with a reason, but for what stops it', () => {
    const flow = flowOf([{ ...letter('l'), off: true } as Step, { id: 'i', kind: 'idea', text: 'Later' }], {
      accepted: [
        { code: 'message-off', step: 'l', reason: 'until the spring' },
        { code: 'idea', step: 'i', reason: 'no matter' },
      ],
    });
    expect(preflight(flow).map(({ code, accepted }) => [code, accepted])).toEqual([
      ['idea', undefined],
      ['message-off', 'until the spring'],
    ]);
  });
});

describe('checks of a flow', () => {
  const NOW = Date.parse('2026-11-24T12:00:00Z');
  const order = (after: string) => ({ type: 'order.placed', after, data: { orderId: 'o1', value: 140 } });
  const check = (expects: Check['expects'], more: Partial<Check> = {}): Check => ({
    name: 'Large order',
    events: [order('PT1M')],
    expects,
    ...more,
  });
  const flow = (checks: Check[]) =>
    flowOf([letter('thanks'), { id: 'w', kind: 'wait', for: 'P3D' }, letter('more')], {
      stay: null,
      goal: { event: 'app.opened', within: 'P9D', ends: true },
      checks,
    });
  const ran = (checks: Check[]) => runChecks({ key: 'f', document: flow(checks), zone: 'Europe/Amsterdam' }, NOW);

  it('hold when what they expect comes, and say what came instead', () => {
    const opens = [order('PT1M'), { type: 'app.opened', after: 'P1D', data: {} }];
    expect(ran([check({ sends: ['thanks', 'more'], goal: false }), check({ sends: ['thanks'], goal: true }, { events: opens })])).toEqual([
      { name: 'Large order', isWell: true, says: '' },
      { name: 'Large order', isWell: true, says: '' },
    ]);
    const failed = failedChecks(ran([check({ sends: ['thanks'], goal: true })]));
    expect(failed).toMatchObject([
      {
        code: 'check-failed',
        level: 'stops',
        says: 'The check “Large order” fails: they get “thanks”, then “more”, not “thanks”, and do not reach the goal',
      },
    ]);
  });

  it('are a part of the document, and refused where they cannot be read', () => {
    expect(flowSchema.parse(flow([check({ sends: [] })])).checks).toHaveLength(1);
    const bad = { ...flow([]), checks: [{ name: 'x', events: [{ type: 'order.placed' }], expects: { sends: ['NOT AN ID'] } }] };
    expect(flowSchema.safeParse(bad).error!.issues.map(({ path }) => path.join('.'))).toEqual(
      expect.arrayContaining(['checks.0.expects.sends.0']),
    );
  });
});
