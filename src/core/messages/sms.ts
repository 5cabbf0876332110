/** Characters of the GSM 7-bit default alphabet and of its extension, which take two places (3GPP TS 23.038, 6.2.1 and 6.2.1.1). */
const BASIC =
  '@£$¥èéùìòÇ\nØø\rÅåΔ_ΦΓΛΩΠΨΣΘΞÆæßÉ !"#¤%&\'()*+,-./0123456789:;<=>?¡ABCDEFGHIJKLMNOPQRSTUVWXYZÄÖÑÜ§¿abcdefghijklmnopqrstuvwxyzäöñüà';
const EXTENDED = '^{}\\[~]|€\f';

/** How a text goes out as an SMS. */
export interface SmsLength {
  /** in the 7-bit alphabet, or in UCS-2, as one character beyond that alphabet makes of the whole text */
  readonly alphabet: 'GSM' | 'UCS-2';
  /** places that it takes: septets, or 16-bit units */
  readonly places: number;
  /** as how many messages it goes out */
  readonly parts: number;
  /** how many places are left in the last part */
  readonly left: number;
}

/**
 * As how many messages a text goes out: one of 160 places, or parts of 153 (in UCS-2 70 and 67), since each part of several
 * bears a header of six bytes (3GPP TS 23.040, 9.2.3.24.1). A character of two places is not split between parts.
 */
export function smsLength(text: string): SmsLength {
  const isGsm = [...text].every((one) => BASIC.includes(one) || EXTENDED.includes(one));
  const widths = isGsm ? [...text].map((one) => (EXTENDED.includes(one) ? 2 : 1)) : [...text].map((one) => one.length);
  const [whole, part] = isGsm ? [160, 153] : [70, 67];
  const places = widths.reduce((sum, width) => sum + width, 0);
  if (places <= whole) return { alphabet: isGsm ? 'GSM' : 'UCS-2', places, parts: places ? 1 : 0, left: whole - places };
  let [parts, used] = [1, 0];
  for (const width of widths) {
    if (used + width > part) {
      parts += 1;
      used = 0;
    }
    used += width;
  }
  return { alphabet: isGsm ? 'GSM' : 'UCS-2', places, parts, left: part - used };
}

/** In how many parts a text goes out at most: what handsets put together again without fail (common practice). */
export const MOST_PARTS = 10;

/** What an answer to a text message asks for: no more of them, or more again; null where it says something else. */
export function wishOf(answer: string): 'stop' | 'start' | null {
  const word = answer
    .trim()
    .toUpperCase()
    .replace(/[^A-ZÀ-Ý]/g, '');
  if (['STOP', 'STOPALL', 'END', 'QUIT', 'CANCEL', 'UNSUBSCRIBE', 'ARRET', 'STOPP'].includes(word)) return 'stop';
  return ['START', 'UNSTOP', 'YES'].includes(word) ? 'start' : null;
}
