import { FONTS, type Brand, type Direction } from '../messages';
import type { TextLook } from './rich';

/** The styles of a brand for a language that runs one way, as they stand in the letter itself. */
export interface Look extends TextLook {
  readonly brand: Brand;
  readonly text: string;
  readonly cell: string;
  readonly direction: Direction;
  /** the sides at which lines begin and end */
  readonly start: 'left' | 'right';
  readonly end: 'left' | 'right';
  /** room beside something, by where its lines begin: above, at their end, below, at their start, as CSS writes it */
  readonly sides: (above: number, end: number, below: number, start: number) => string;
}

const SIZES = [1.6, 1.3, 1.13] as const;

export function lookOf(brand: Brand, direction: Direction = 'ltr'): Look {
  const { colours: c, size } = brand;
  const line = Math.round(size * 1.55);
  const font = `font-family:${FONTS[brand.font]}`;
  const [start, end] = direction === 'ltr' ? (['left', 'right'] as const) : (['right', 'left'] as const);
  const sides: Look['sides'] = (above, atEnd, below, atStart) =>
    (direction === 'ltr' ? [above, atEnd, below, atStart] : [above, atStart, below, atEnd])
      .map((room) => (room ? `${room}px` : '0'))
      .join(' ');
  const text = `${font};font-size:${size}px;line-height:${line}px;color:${c.ink}`;
  return {
    brand,
    direction,
    start,
    end,
    sides,
    text,
    paragraph: 'margin:0 0 14px',
    heading: (level) => {
      const large = Math.round(size * SIZES[Math.min(3, Math.max(1, level)) - 1]!);
      return `margin:6px 0 10px;font-family:${FONTS[brand.headings]};font-size:${large}px;line-height:${Math.round(large * 1.3)}px;font-weight:bold`;
    },
    list: `margin:0 0 14px;padding:${sides(0, 0, 0, 22)}`,
    link: `color:${c.accent};text-decoration:underline`,
    quote: `margin:0 0 14px;padding:${sides(0, 0, 0, 14)};border-${start}:3px solid ${c.line}`,
    cell: `${font};font-size:14px;line-height:20px;color:${c.ink};padding:10px 0;border-bottom:1px solid ${c.line}`,
  };
}

/** What changes in the dark: mail programs that ask for it by a media query, and one that marks what it has turned itself. */
export function darkStyle({ dark: c }: Brand): string {
  const rules = (at: string) => `
${at}.v-page, ${at}.v-page > div { background-color:${c.page} !important; }
${at}.v-sheet, ${at}.v-sheet > table, ${at}.v-sheet > table > tbody > tr > td { background-color:${c.sheet} !important; border-color:${c.line} !important; }
${at}.v-ink div, ${at}.v-ink p, ${at}.v-ink h1, ${at}.v-ink h2, ${at}.v-ink h3, ${at}.v-ink li, ${at}.v-ink td, ${at}.v-ink td a, ${at}.v-ink b { color:${c.ink} !important; border-color:${c.line} !important; }
${at}.v-ink p a, ${at}.v-ink li a { color:${c.accent} !important; }
${at}.v-ink a.v-name { color:${c.ink} !important; }
${at}.v-soft div, ${at}.v-soft a, ${at}.v-ink .v-aside { color:${c.soft} !important; border-color:${c.line} !important; }
${at}.v-brand div, ${at}.v-brand a { color:${c.accent} !important; }
${at}.v-act a, ${at}.v-act td { background:${c.accent} !important; background-color:${c.accent} !important; color:${c.onAccent} !important; }
${at}.v-ink .v-code, ${at}.v-ink .v-code p { color:${c.accent} !important; border-color:${c.accent} !important; }
${at}.v-line p { border-color:${c.line} !important; }`;
  return `${NIGHT} {${rules('')}\n}${rules('[data-ogsc] ')}`;
}

/** What a mail program is asked that shows letters in the dark. */
export const NIGHT = '@media (prefers-color-scheme: dark)';

/** A letter as it is shown in the dark, for a look at it in a program that is in the light. */
export const atNight = (html: string): string => html.replaceAll(NIGHT, '@media all');
/** A letter as it is shown in the light, wherever it is looked at. */
export const byDay = (html: string): string => html.replaceAll(NIGHT, '@media not all');
