import { createHmac, timingSafeEqual } from 'node:crypto';

/** What a link in a message stands for: whose send it was, and for a click, where it leads. */
export interface LinkToken {
  /**
   * `leave` and `prefs` open the preference page, `prefs` without a send; `arrive` tells a page of the shop who clicked, `url` until when;
   * `sender` is no person's: it confirms an address in whose name letters go out
   */
  readonly purpose: 'click' | 'open' | 'leave' | 'prefs' | 'arrive' | 'rate' | 'sender';
  readonly personId: string;
  readonly sendId: string;
  readonly url?: string;
  /** the block of a letter that asked, and how many of five were given */
  readonly rating?: { readonly block: string; readonly value: number };
}

const CODES = { click: 'c', open: 'o', leave: 'l', prefs: 'p', arrive: 'a', rate: 'r', sender: 's' } as const;

function sign(secret: string, body: string): string {
  return createHmac('sha256', secret).update(`link:${body}`).digest().subarray(0, 16).toString('base64url');
}

/** Seals a link: nobody can make one up, and a click leads only where a message of ours pointed. */
export function sealLink(secret: string, token: LinkToken): string {
  const rest = token.rating ? `${token.rating.value} ${token.rating.block}` : (token.url ?? '');
  const body = Buffer.from([CODES[token.purpose], token.personId, token.sendId, rest].join('|')).toString('base64url');
  return `${body}.${sign(secret, body)}`;
}

/** Opens a sealed link, or answers null when it is not one of ours. */
export function openLink(secret: string, sealed: string, purpose: LinkToken['purpose']): LinkToken | null {
  const [body, mac, ...rest] = sealed.split('.');
  if (!body || !mac || rest.length) return null;
  const expected = Buffer.from(sign(secret, body));
  const given = Buffer.from(mac);
  if (expected.length !== given.length || !timingSafeEqual(expected, given)) return null;
  const [code, personId, sendId, ...url] = Buffer.from(body, 'base64url').toString().split('|');
  if (code !== CODES[purpose] || !personId || !sendId) return null;
  if (purpose === 'rate') {
    const [, value, block] = /^([1-5]) ([a-z0-9-]{1,40})$/.exec(url.join('|')) ?? [];
    return block ? { purpose, personId, sendId, rating: { block, value: Number(value) } } : null;
  }
  return { purpose, personId, sendId, ...(url.join('|') && { url: url.join('|') }) };
}
