import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { changeLines } from './changes';

const offer = {
  name: 'Tank tenth',
  discount: { kind: 'percent', percent: 10 },
  rules: [
    { id: 'a', least: 50 },
    { id: 'b', least: 90 },
  ],
};

describe('what an act has changed', () => {
  it('is gone into down to what differs, entries of lists by their own names wherever they stand', () => {
    const was = { document: offer };
    const is = { document: { ...offer, discount: { kind: 'percent', percent: 15 }, rules: [{ id: 'b', least: 95 }, offer.rules[0]] } };
    expect(changeLines([{ of: 'offers', key: 'cart-10', was, is }], 20)).toEqual({
      lines: [
        { of: 'offer cart-10', where: 'discount, percent', was: '10', is: '15' },
        { of: 'offer cart-10', where: 'rules, b, least', was: '90', is: '95' },
      ],
      more: 0,
    });
  });

  it('of what came or went its plain fields are said', () => {
    expect(
      changeLines([{ of: 'lists', key: 'x', was: null, is: { name: 'Keepers', double_opt_in: true, confirmation: null } }], 20).lines,
    ).toEqual([
      { of: 'list x', where: 'name', was: null, is: 'Keepers' },
      { of: 'list x', where: 'double opt in', was: null, is: 'yes' },
    ]);
    expect(changeLines([{ of: 'offers', key: 'o', was: { document: offer, archived_at: null }, is: null }], 20).lines).toEqual([]);
  });

  it('says lists of words as such, no emptiness as a change, and how many lines are left out', () => {
    const change = { of: 'sources', key: 'k', was: { scopes: ['read'], name: '' }, is: { scopes: ['read', 'write'], name: null } };
    expect(changeLines([change], 20).lines).toEqual([{ of: 'source k', where: 'scopes', was: 'read', is: 'read, write' }]);
    const many = Object.fromEntries(Array.from({ length: 30 }, (_, at) => [`n${at}`, at]));
    expect(changeLines([{ of: 'settings', key: 'limits', was: { value: {} }, is: { value: many } }], 20)).toMatchObject({ more: 10 });
    expect(changeLines([{ of: 'topics', key: 't', was: { about: 'x' }, is: { about: 'y'.repeat(200) } }], 20).lines[0]!.is).toHaveLength(
      80,
    );
  });

  it('law: nothing is said of what is the same', () => {
    fc.assert(
      fc.property(fc.dictionary(fc.string(), fc.jsonValue()), (value) => {
        const copy = JSON.parse(JSON.stringify(value)) as typeof value;
        expect(changeLines([{ of: 'x', key: 'y', was: value, is: copy }], 1000).lines).toEqual([]);
      }),
    );
  });
});
