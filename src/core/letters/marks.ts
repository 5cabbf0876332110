/**
 * Letters are laid out once, with marks where something of whoever gets it will stand: a sign of the private use area, a letter that
 * says what for, a number, and a closing sign. No text of a person, product, feed or author holds such signs (see `withoutMarks`).
 */
export const mark = (kind: string, n: number | string = ''): string => `\uE000${kind}${n}\uE001`;
const MARK = /\uE000([A-Z/])(\d*)\uE001/g;

/** A text cut at its marks. */
export function cut(text: string): (string | { readonly kind: string; readonly n: number })[] {
  const pieces: (string | { kind: string; n: number })[] = [];
  let from = 0;
  for (const match of text.matchAll(MARK)) {
    if (match.index > from) pieces.push(text.slice(from, match.index));
    pieces.push({ kind: match[1]!, n: Number(match[2]) });
    from = match.index + match[0].length;
  }
  if (from < text.length) pieces.push(text.slice(from));
  return pieces;
}

/** Placeholders and what steers them: {{ … }} and {% … %}. */
const LIQUID = /\{\{[\s\S]*?\}\}|\{%[\s\S]*?%\}/g;

/** A text with its placeholders put behind marks, so that whatever reads it next takes each for one word; and what puts them back. */
export function sheltered(text: string): { readonly text: string; readonly restore: (text: string) => string } {
  const kept: string[] = [];
  return {
    text: text.replace(LIQUID, (token) => mark('L', kept.push(token) - 1)),
    restore: (done) => done.replace(/\uE000L(\d+)\uE001/g, (_, n: string) => kept[Number(n)] ?? ''),
  };
}
