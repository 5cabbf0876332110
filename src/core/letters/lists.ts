import { isCurrency, sayMoney, toMinor, type Money } from '../money';
import type { Value } from '../rules';
import { escapeHtml, safeUrl } from '../text';
import type { Look } from './look';
import type { LetterWords } from '../tongue';

/** Something that is shown with a picture, a name and a price: an item of a cart or of an order, a product, an entry of a feed. */
export interface Shown {
  readonly name: string;
  readonly quantity?: number;
  /** a plain number where its currency is not known */
  readonly price?: Money | number | null;
  /** what it cost before */
  readonly was?: Money | null;
  readonly words?: string | null;
  readonly url: string | null;
  readonly image: string | null;
}

export interface CartItem {
  readonly name: string;
  readonly quantity: number;
  readonly price: number | null;
  readonly url: string | null;
  readonly image: string | null;
}

/** Reads the items of a cart or an order; what is not an item is left out. */
export function cartItems(properties: { readonly [name: string]: Value }): CartItem[] {
  const { items } = properties;
  if (!Array.isArray(items)) return [];
  return items.flatMap((item: Value) => {
    if (item === null || typeof item !== 'object' || Array.isArray(item)) return [];
    const one = item as { readonly [name: string]: Value };
    const name = typeof one.name === 'string' && one.name ? one.name : typeof one.sku === 'string' ? one.sku : null;
    if (!name) return [];
    return [
      {
        name,
        quantity: typeof one.quantity === 'number' ? one.quantity : 1,
        price: typeof one.price === 'number' ? one.price : null,
        url: safeUrl(one.url),
        image: safeUrl(one.image),
      },
    ];
  });
}

/** In which language a list is written: its own words, and that by which amounts are written. */
export interface Wording {
  readonly words: LetterWords;
  /** a tag of BCP 47 */
  readonly locale: string;
}

/** An amount of an event in its own currency; without a currency, the plain number. */
export function amountOf(properties: { readonly [name: string]: Value }, major: number): Money | number {
  const { currency } = properties;
  return typeof currency === 'string' && isCurrency(currency) ? { currency, minor: toMinor(major, currency) } : major;
}
/** An amount as it is written in a language. */
export const sayAmount = (amount: Money | number, { locale }: Wording): string =>
  typeof amount === 'number' ? amount.toFixed(2) : sayMoney(amount, locale);

/** The items of a cart or an order as they are shown, the dearest first where one is to stand for all. */
export function itemsOf(properties: { readonly [name: string]: Value }, byPrice = false): Shown[] {
  const items = cartItems(properties);
  const ordered = byPrice ? [...items].sort((a, b) => (b.price ?? 0) * b.quantity - (a.price ?? 0) * a.quantity) : items;
  return ordered.map(({ price, ...item }) => ({ ...item, price: price === null ? null : amountOf(properties, price) }));
}

export type Layout = 'table' | 'cards' | 'large';
/** A mail does not need more of a list than this; the rest is counted in a line. */
const MOST_SHOWN = 30;

function picture({ image }: Shown, width: number, look: Look, style = ''): string {
  if (!image) return '';
  const looks = `display:block;border:0;width:${width}px;max-width:100%;height:auto;border-radius:${look.brand.corner}px${style}`;
  return `<img src="${escapeHtml(image)}" width="${width}" alt="" style="${looks}">`;
}
const linked = (url: string | null, inner: string, style: string, track: (url: string) => string): string =>
  url && inner ? `<a href="${escapeHtml(track(url))}"${style && ` class="v-name" style="${style}"`}>${inner}</a>` : inner;

function priceOf({ price, was, quantity }: Shown, look: Look, wording: Wording): string {
  const many = quantity === undefined ? '' : `${quantity} × `;
  const before = was ? ` <s class="v-aside" style="color:${look.brand.colours.soft}">${escapeHtml(sayAmount(was, wording))}</s>` : '';
  return hasPrice(price) ? `${many}${escapeHtml(sayAmount(price, wording))}${before}` : many.replace(/ $/, '');
}
const hasPrice = (price: Shown['price']): price is Money | number => price !== null && price !== undefined;

/** A list as HTML, in one of three layouts. */
export function listHtml(all: readonly Shown[], layout: Layout, look: Look, wording: Wording, track: (url: string) => string): string {
  const { ink, soft } = look.brand.colours;
  const plainLink = `color:${ink};text-decoration:underline`;
  const shown = all.slice(0, layout === 'large' ? 1 : MOST_SHOWN);
  const more = all.length - shown.length;
  const rest = more > 0 ? `<p class="v-aside" style="margin:0 0 14px;color:${soft}">${wording.words.more(more)}</p>` : '';
  if (layout === 'large') {
    const [one] = shown;
    const wide = look.brand.width - 56;
    const name = `<b style="font-weight:bold">${escapeHtml(one!.name)}</b>`;
    return `${linked(one!.url, picture(one!, wide, look), '', track)}<p style="margin:10px 0 14px">${linked(one!.url, name, plainLink, track)}${
      priceOf(one!, look, wording) ? `<br>${priceOf(one!, look, wording)}` : ''
    }${one!.words ? `<br>${escapeHtml(one!.words)}` : ''}</p>${rest}`;
  }
  if (layout === 'cards') {
    const wide = Math.floor((look.brand.width - 62) / 3);
    const cards = shown.map((item) => {
      const name = linked(item.url, escapeHtml(item.name), plainLink, track);
      const image = linked(item.url, picture(item, wide - 16, look, ';margin:0 0 8px'), '', track);
      const price = priceOf(item, look, wording);
      const words = item.words ? `<br><span class="v-aside" style="color:${soft}">${escapeHtml(item.words)}</span>` : '';
      const inner = `${image}${name}${price ? `<br>${price}` : ''}${words}`;
      const outer = `display:inline-block;width:100%;max-width:${wide}px;min-width:140px;vertical-align:top`;
      const card = `<div style="${outer}"><div style="padding:${look.sides(0, 8, 14, 0)};font-size:14px;line-height:20px">${inner}</div></div>`;
      // one mail program stands blocks side by side in cells alone
      return `<!--[if mso]><td width="${wide}" valign="top"><![endif]-->${card}<!--[if mso]></td><![endif]-->`;
    });
    return `<!--[if mso]><table role="presentation"><tr><![endif]-->${cards.join('')}<!--[if mso]></tr></table><![endif]-->${rest}`;
  }
  const hasPictures = shown.some(({ image }) => image);
  const rows = shown.map((item) => {
    const words = item.words ? `<br><span class="v-aside" style="color:${soft}">${escapeHtml(item.words)}</span>` : '';
    const face = hasPictures ? `<td width="76" style="${look.cell}">${picture(item, 64, look)}</td>` : '';
    return `<tr>${face}<td style="${look.cell}">${linked(
      item.url,
      escapeHtml(item.name),
      plainLink,
      track,
    )}${words}</td><td align="${look.end}" style="${look.cell};white-space:nowrap">${priceOf(item, look, wording)}</td></tr>`;
  });
  return `<table role="presentation" width="100%" cellpadding="0" cellspacing="0" style="margin:0 0 18px">${rows.join('')}</table>${rest}`;
}

/** A list as plain text. */
export function listText(all: readonly Shown[], layout: Layout, wording: Wording, track: (url: string) => string): string {
  const shown = all.slice(0, layout === 'large' ? 1 : MOST_SHOWN);
  const lines = shown.map((item) => {
    const many = item.quantity === undefined ? '' : `${item.quantity} × `;
    const each = hasPrice(item.price)
      ? `, ${sayAmount(item.price, wording)}${item.quantity !== undefined && item.quantity !== 1 ? ` ${wording.words.each}` : ''}`
      : '';
    // the items of a cart have one way back, the button beside them; what is suggested has each its own
    return `- ${many}${item.name}${each}${item.quantity === undefined && item.url ? `: ${track(item.url)}` : ''}`;
  });
  return [...lines, ...(all.length > shown.length ? [wording.words.more(all.length - shown.length)] : [])].join('\n');
}
