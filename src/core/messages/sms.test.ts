import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { messageSchema, renderText, smsLength, wishOf, type Personal, type Sms } from '.';

describe('the length of a text message (3GPP TS 23.038 and 23.040)', () => {
  it.each([
    ['', 'GSM', 0, 0],
    ['a'.repeat(160), 'GSM', 160, 1],
    ['a'.repeat(161), 'GSM', 161, 2],
    ['a'.repeat(306), 'GSM', 306, 2],
    ['a'.repeat(307), 'GSM', 307, 3],
    // the euro sign stands in the extension table: two septets
    [`${'a'.repeat(158)}€`, 'GSM', 160, 1],
    [`${'a'.repeat(159)}€`, 'GSM', 161, 2],
    ['é'.repeat(160), 'GSM', 160, 1],
    // ê is in neither table: the whole text goes out in UCS-2
    ['ê'.repeat(70), 'UCS-2', 70, 1],
    ['ê'.repeat(71), 'UCS-2', 71, 2],
    ['ê'.repeat(134), 'UCS-2', 134, 2],
    ['ê'.repeat(135), 'UCS-2', 135, 3],
    // beyond the basic plane a sign takes two 16-bit units
    ['🐟'.repeat(35), 'UCS-2', 70, 1],
    ['🐟'.repeat(36), 'UCS-2', 72, 2],
  ] as const)('%#: %s places', (text, alphabet, places, parts) => {
    expect(smsLength(text)).toMatchObject({ alphabet, places, parts });
  });

  it('a sign of two places is not split between parts: 153 is odd, so the last place stays empty', () => {
    // 76 euro signs fill 152 of 153 places; by division alone 306 places would be two parts
    expect(smsLength('€'.repeat(152))).toMatchObject({ places: 304, parts: 2, left: 1 });
    expect(smsLength('€'.repeat(153))).toMatchObject({ places: 306, parts: 3 });
    // a fish that does not fit in what is left of 67 begins the next part
    expect(smsLength('🐟'.repeat(67))).toMatchObject({ places: 134, parts: 3 });
  });

  it('law: the parts hold all places and no more than they have room for', () => {
    fc.assert(
      fc.property(fc.string({ unit: fc.constantFrom('a', 'é', '€', '[', 'ê', '🐟', ' '), maxLength: 600 }), (text) => {
        const { alphabet, places, parts, left } = smsLength(text);
        const room = parts <= 1 ? (alphabet === 'GSM' ? 160 : 70) : alphabet === 'GSM' ? 153 : 67;
        expect(left).toBeGreaterThanOrEqual(0);
        expect(places).toBeLessThanOrEqual(Math.max(1, parts) * room);
        if (parts > 1) expect(places).toBeGreaterThan((parts - 1) * (room - 1));
      }),
    );
  });
});

describe('what an answer asks for', () => {
  it.each([
    ['STOP', 'stop'],
    [' stop. ', 'stop'],
    ['Stop all', 'stop'],
    ['arrêt', null],
    ['ARRET', 'stop'],
    ['START', 'start'],
    ['please stop the noise', null],
    ['', null],
  ])('%s', (answer, wish) => expect(wishOf(answer)).toBe(wish));
});

describe('a text message', () => {
  const sms = (text: string, kind: Sms['kind'] = 'marketing'): Sms => ({ schema: 'viatic.message/1', channel: 'sms', kind, text });
  const personal: Personal = {
    person: { firstName: 'Robin' },
    event: { checkoutUrl: 'https://shop.example/cart/1?a=b' },
    store: { name: 'S', address: 'A' },
  };
  const short = (message: Sms) => renderText(message, personal, { track: (url) => `https://v.example/s/${url.length}` }).text;

  it('has its placeholders filled and its addresses shortened, and says how to get no more', () => {
    expect(short(sms('Hi {{ person.firstName }}, your cart: {{ event.checkoutUrl }}.'))).toBe(
      'Hi Robin, your cart: https://v.example/s/31.\nReply STOP to end.',
    );
    expect(short(sms('Text STOP to end'))).toBe('Text STOP to end');
    expect(short(sms('It is on its way', 'service'))).toBe('It is on its way');
    // what is no address of the web stays as it is
    expect(short(sms('javascript:alert(1) ftp://a.example', 'service'))).toBe('javascript:alert(1) ftp://a.example');
  });

  it('is refused with what belongs to another channel', () => {
    expect(messageSchema.safeParse({ ...sms('x'), subject: 'y' }).success).toBe(false);
    expect(messageSchema.safeParse({ ...sms('x'), channel: 'pigeon' }).success).toBe(false);
    expect(messageSchema.safeParse(sms('x'.repeat(10_001))).success).toBe(false);
    const push = { schema: 'viatic.message/1', channel: 'push', kind: 'marketing', title: 'Two\nlines', text: '', url: '' };
    expect(messageSchema.safeParse(push).success).toBe(false);
    expect(messageSchema.safeParse({ ...push, title: 'One' }).success).toBe(true);
  });
});
