import * as z from 'zod';

const colour = z.string().regex(/^#[0-9a-fA-F]{6}$/, 'is not a colour such as #8B2635');
const colours = z.strictObject({
  /** behind the letter */
  page: colour,
  /** of the letter itself */
  sheet: colour,
  ink: colour,
  /** of what is said aside: the footer, a price that was */
  soft: colour,
  /** of buttons and links */
  accent: colour,
  /** on the accent */
  onAccent: colour,
  line: colour,
});
export type Colours = z.infer<typeof colours>;
export const COLOUR_NAMES = ['page', 'sheet', 'ink', 'soft', 'accent', 'onAccent', 'line'] as const satisfies readonly (keyof Colours)[];

/** Fonts that mail programs commonly have (common practice), each with what stands in. */
export const FONTS = {
  plain: "'Helvetica Neue',Helvetica,Arial,sans-serif",
  humanist: "'Segoe UI','Trebuchet MS',Verdana,sans-serif",
  book: "Georgia,'Times New Roman',serif",
  old: "'Palatino Linotype',Palatino,'Book Antiqua',serif",
  typed: "'Courier New',Courier,monospace",
} as const;
export type Font = keyof typeof FONTS;

/** How letters look, `viatic.brand/1`: every letter that is set in it follows. */
export const brandSchema = z.strictObject({
  schema: z.literal('viatic.brand/1'),
  name: z.string().trim().min(1, 'must not be empty').max(80),
  font: z.enum(Object.keys(FONTS) as [Font, ...Font[]]),
  headings: z.enum(Object.keys(FONTS) as [Font, ...Font[]]),
  /** of the text, in pixels */
  size: z.int().min(13).max(20),
  /** how round buttons and pictures are, in pixels */
  corner: z.int().min(0).max(30),
  /** how wide a letter is at most, in pixels */
  width: z.int().min(480).max(720),
  colours,
  /** in the dark */
  dark: colours,
  /** stands in place of the name where there is one */
  logo: z.strictObject({ url: z.string().max(2000), width: z.int().min(20).max(600) }).optional(),
  /** what stands at the end of each letter beside the address, such as the company's registration */
  footer: z.string().max(1000),
  /** the postal address, where that is not the store's */
  address: z.string().max(300).optional(),
  social: z.array(z.strictObject({ name: z.string().trim().min(1).max(40), url: z.string().max(2000) })).max(8),
});
export type Brand = z.infer<typeof brandSchema>;

export const brandKey = z.string().regex(/^[a-z0-9][a-z0-9-]{0,59}$/, 'is made of a-z, 0-9 and -, at most 60 characters');

/** What letters are set in as long as nobody has said anything else. */
export const plainBrand = (name: string): Brand => ({
  schema: 'viatic.brand/1',
  name: name.slice(0, 80) || 'Store',
  font: 'plain',
  headings: 'plain',
  size: 15,
  corner: 6,
  width: 600,
  colours: { page: '#F7F5F0', sheet: '#FFFFFF', ink: '#1F2328', soft: '#5B6068', accent: '#8B2635', onAccent: '#FFFFFF', line: '#DDD8CC' },
  dark: { page: '#171A1F', sheet: '#20242B', ink: '#ECE8DF', soft: '#A9AEB6', accent: '#E58A96', onAccent: '#171A1F', line: '#3A4049' },
  footer: '',
  social: [],
});

/** The relative luminance of a colour (WCAG 2.2, definition of relative luminance). */
function luminance(hex: string): number {
  const [r, g, b] = [1, 3, 5].map((at) => {
    const c = Number.parseInt(hex.slice(at, at + 2), 16) / 255;
    return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4;
  }) as [number, number, number];
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}

/** The contrast of two colours, 1 to 21 (WCAG 2.2, contrast ratio). */
export function contrastOf(one: string, other: string): number {
  const [light, dark] = [luminance(one), luminance(other)].sort((a, b) => b - a) as [number, number];
  return (light + 0.05) / (dark + 0.05);
}

/** What must be readable on what: pairs of colours of a brand. */
const PAIRS: readonly (readonly [front: keyof Colours, back: keyof Colours, what: string])[] = [
  ['ink', 'sheet', 'text on the letter'],
  ['soft', 'sheet', 'what is said aside'],
  ['soft', 'page', 'what is said aside, behind the letter'],
  ['accent', 'sheet', 'links'],
  ['onAccent', 'accent', 'the words of a button'],
];

/** The least contrast of text (WCAG 2.2, 1.4.3, level AA). */
export const LEAST_CONTRAST = 4.5;

/** Pairs of colours that cannot be read well, with their contrast. */
export function unreadable(
  brand: Brand,
): { readonly by: 'day' | 'night'; readonly what: string; readonly front: keyof Colours; readonly contrast: number }[] {
  return (['day', 'night'] as const).flatMap((by) => {
    const set = by === 'day' ? brand.colours : brand.dark;
    return PAIRS.flatMap(([front, back, what]) => {
      const contrast = contrastOf(set[front], set[back]);
      return contrast < LEAST_CONTRAST ? [{ by, what, front, contrast }] : [];
    });
  });
}
