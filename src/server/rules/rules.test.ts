import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Rule } from '@/core/rules';
import { happening, openLab, type Lab } from '../testing/lab';
import { query } from '@/data/db';
import { samplePeople } from '@/data/people';
import { countRule, explainRule, sayRuleOf } from '.';
import { errorOf } from './rules';

const ordered: Rule = { test: 'did', event: 'order.placed', since: 'ever' };
const dutch: Rule = { test: 'attribute', name: 'country', op: 'is', value: 'NL' };
let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
  const tell = async (id: string, country: string, orders: number, isOpen: boolean) => {
    const person = { email: `${id}@example.com`, firstName: id, country, ...(isOpen && { consent: { email: true } }) };
    await lab.tell(happening('page.viewed', { person, url: '/' }, { subject: id }));
    for (let n = 0; n < orders; n++)
      await lab.tell(happening('order.placed', { orderId: `${id}-${n}`, value: 40, currency: 'EUR' }, { subject: id }));
  };
  await tell('ada', 'NL', 2, true);
  await tell('bea', 'NL', 1, false);
  await tell('cleo', 'NL', 0, true);
  await tell('dora', 'BE', 1, true);
});
afterAll(() => lab.close());

describe('counting a rule', () => {
  it('tells what each part leaves of those before it, who can be reached, and some of them', async () => {
    const view = await countRule(lab.db, { rule: { all: [dutch, ordered] } });
    expect(view).toMatchObject({
      everybody: 4,
      count: 2,
      isExact: true,
      reachable: { email: 1, sms: 0, push: 0 },
      narrowing: [
        { says: 'country is “NL”', count: 3 },
        { says: 'has placed an order', count: 2 },
      ],
    });
    expect(view.examples.map((one) => one.id).sort()).toEqual(['ada', 'bea']);
    for (const one of view.examples) expect(one.holds).toEqual([true, true]);
    // and who falls out at the last part
    expect(view.nearly).toMatchObject([{ id: 'cleo', holds: [true, false] }]);
    expect(await countRule(lab.db, { rule: { all: [ordered, dutch] } })).toMatchObject({ narrowing: [{ count: 3 }, { count: 2 }] });
  });

  it('a rule that is no “all of” is one part; one that asks for nothing is everybody', async () => {
    expect(await countRule(lab.db, { rule: { any: [dutch, ordered] } })).toMatchObject({ count: 4, narrowing: [{ count: 4 }] });
    expect(await countRule(lab.db, { rule: { ...ordered, times: { exactly: 1 } } })).toMatchObject({ count: 2 });
    expect(await countRule(lab.db, { rule: { all: [] } })).toMatchObject({ count: 4, narrowing: [], reachable: { email: 3 } });
  });

  it('of few people no sample is taken; one that is tells everybody’s numbers and how far they may be off', async () => {
    expect(await countRule(lab.db, { rule: ordered, sample: true })).toMatchObject({ isExact: true, plusMinus: null, count: 3 });
    await query(lab.db, 'analyze people');
    const drawn = await samplePeople(lab.db, 3, 1);
    expect(drawn!.everybody).toBe(4);
    expect(new Set(drawn!.ids).size).toBe(drawn!.ids.length);
    expect(await samplePeople(lab.db, 3, 5)).toBeNull();
    // everybody is drawn alike: of 4 people 4 at most, none twice
    const all = new Set<string>();
    for (let n = 0; n < 40; n++) for (const id of (await samplePeople(lab.db, 2, 1))!.ids) all.add(id);
    expect(all.size).toBe(4);
  });

  // Newcombe 1998, table I, method 3, from memory: 81 of 263 0.2553 to 0.3662; 15 of 148 0.0624 to 0.1605
  it('the error of a sample is half of Wilson’s interval', () => {
    expect(errorOf(81, 263, 10_000)).toBe(Math.ceil((3662 - 2553) / 2));
    expect(Math.abs(errorOf(15, 148, 10_000) - (1605 - 624) / 2)).toBeLessThan(1.5);
    // of nobody in 4,000 it is not sure that there is nobody
    expect(errorOf(0, 4000, 1_000_000)).toBeGreaterThan(400);
    expect(errorOf(0, 0, 7)).toBe(7);
  });

  it('what is no rule, or none for lists, is refused with its place', async () => {
    await expect(countRule(lab.db, { rule: { all: [{ test: 'did' }] } })).rejects.toMatchObject({ status: 422 });
    await expect(countRule(lab.db, { rule: { ...ordered, since: 'entry' } })).rejects.toThrow('cannot pick people from a list');
  });
});

describe('explaining a rule', () => {
  it('says for one person whether it holds, until when, and what was seen', async () => {
    const view = await explainRule(lab.db, { rule: { all: [dutch, { ...ordered, times: 2, since: { last: 'P30D' } }] }, person: 'ada' });
    expect(view).toMatchObject({
      holds: true,
      because: { parts: [{ saw: 'country was “NL”' }, { holds: true, says: 'has placed an order at least twice in the last 30 days' }] },
    });
    const days = (Date.parse(view.until!) - Date.now()) / 86_400_000;
    expect(days).toBeGreaterThan(29);
    expect(days).toBeLessThan(31);
    expect(await explainRule(lab.db, { rule: dutch, person: 'dora' })).toMatchObject({
      holds: false,
      until: null,
      because: { saw: 'country was “BE”' },
    });
  });

  it('of nobody there is nothing to explain', async () => {
    await expect(explainRule(lab.db, { rule: dutch, person: 'nobody' })).rejects.toMatchObject({ status: 404 });
    await expect(explainRule(lab.db, { rule: dutch })).rejects.toMatchObject({ status: 422 });
  });
});

it('a rule is said as a sentence; what is wrong with it is said with its place', () => {
  expect(sayRuleOf({ rule: { all: [dutch, ordered] } })).toEqual({ says: 'country is “NL” and has placed an order', problems: [] });
  const { says, problems } = sayRuleOf({ rule: { all: [dutch, { test: 'did', event: 'Order', since: 'ever' }] } });
  expect(says).toBeNull();
  expect(problems[0]).toMatchObject({ field: 'rule.all[1].event' });
});
