import { createHash } from 'node:crypto';
import mjml2html from 'mjml';
import sanitize from 'sanitize-html';
import { compileLetter, type Letter, type Press } from '@/core/letters';
import { directionOf, plainBrand, type Brand, type Email } from '@/core/messages';
import { listBrands } from '@/data/letters';
import type { Sql } from '@/data/db';

/** What may stand in HTML that somebody puts into a letter: what mail programs show, nothing that acts or loads. */
const CLEAN: sanitize.IOptions = {
  allowedTags: [
    ...'h1 h2 h3 h4 p br hr b strong i em u s sub sup small span div blockquote ul ol li a img'.split(' '),
    ...'table thead tbody tfoot tr td th caption'.split(' '),
  ],
  allowedAttributes: {
    '*': ['style', 'align', 'width', 'height', 'bgcolor'],
    a: ['href', 'title'],
    img: ['src', 'alt'],
    td: ['colspan', 'rowspan', 'valign'],
    th: ['colspan', 'rowspan', 'valign', 'scope'],
    table: ['border', 'cellpadding', 'cellspacing', 'role'],
  },
  allowedSchemes: ['http', 'https'],
  allowedStyles: {
    '*': Object.fromEntries(
      [
        ...[
          'color',
          'background',
          'background-color',
          'font-size',
          'font-weight',
          'font-style',
          'font-family',
          'line-height',
          'text-align',
        ],
        ...['text-decoration', 'padding', 'padding-left', 'padding-right', 'padding-top', 'padding-bottom', 'margin', 'margin-left'],
        ...[
          'margin-right',
          'margin-top',
          'margin-bottom',
          'border',
          'border-bottom',
          'border-top',
          'border-radius',
          'width',
          'max-width',
          'height',
        ],
        ...['vertical-align', 'display'],
      ].map((name) => [name, [/^[^<>{}]*$/]]),
    ),
  },
  // an address that a placeholder stands for is looked at when it is filled in
  allowProtocolRelative: false,
  exclusiveFilter: ({ tag, attribs }) => tag === 'img' && !/^https?:\/\//.test(attribs.src ?? ''),
};
const OF_US = 'https://placeholder.invalid/';

/** HTML of an author made harmless. Placeholders that begin an address are kept for when they are filled in. */
export function cleanHtml(html: string): string {
  // sanitising looks at addresses: one that begins with a placeholder has no scheme yet
  const led = html.replace(/(\shref\s*=\s*["']?)(\uE000L\d+\uE001)/g, (_, before: string, token: string) => `${before}${OF_US}${token}`);
  return sanitize(led, CLEAN).replaceAll(OF_US, '');
}

export const press: Press = {
  layOut: async (mjml) => {
    const { html, errors } = await mjml2html(mjml, { validationLevel: 'soft', keepComments: true, minify: false });
    if (errors.length) throw new Error(`the letter cannot be laid out: ${errors[0]!.message}`);
    return html;
  },
  clean: cleanHtml,
};

/** Brands by key; '' is the store's first, or a plain one where there is none. */
export type Brands = ReadonlyMap<string, Brand>;

export async function readBrands(sql: Sql, storeName: string): Promise<Brands> {
  const rows = await listBrands(sql);
  const first = rows.find(({ is_first }) => is_first)?.document ?? plainBrand(storeName);
  return new Map([['', first], ...rows.map(({ key, document }) => [key, document] as const)]);
}

/** How many laid-out letters a process keeps. */
const MOST_KEPT = 300;
const kept = new Map<string, Promise<Letter>>();
const names = new WeakMap<Email, string>();

/**
 * A letter laid out in its brand: done once for each content and brand, as long as it is among those used last.
 * @param usual the language of what says none itself
 */
export function letterOf(email: Email, brands: Brands, usual = 'en'): Promise<Letter> {
  const direction = directionOf(email.language ?? usual);
  const brand = brands.get(email.brand ?? '') ?? brands.get('')!;
  let name = names.get(email);
  if (!name) names.set(email, (name = createHash('sha256').update(JSON.stringify(email)).digest('base64')));
  const key = `${name} ${brandName(brand)} ${direction}`;
  let letter = kept.get(key);
  if (letter) kept.delete(key);
  else {
    letter = compileLetter(email, brand, press, direction);
    letter.catch(() => kept.delete(key));
  }
  kept.set(key, letter);
  if (kept.size > MOST_KEPT) kept.delete(kept.keys().next().value!);
  return letter;
}

// brands are read anew for each batch, and mostly the same: they are told apart by what they say
const brandNames = new WeakMap<Brand, string>();
function brandName(brand: Brand): string {
  let name = brandNames.get(brand);
  if (!name) brandNames.set(brand, (name = createHash('sha256').update(JSON.stringify(brand)).digest('base64')));
  return name;
}
