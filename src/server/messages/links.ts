import { createHmac, timingSafeEqual } from 'node:crypto';
import { DAY } from '@/core/time';

/** What a link in a message stands for: whose send it was, and for a click, where it leads. */
export interface LinkToken {
  /**
   * `leave` and `prefs` open the preference page, `prefs` without a send; `arrive` tells a page of the shop who clicked, `url` until when;
   * `sender` is no person's: it confirms an address in whose name letters go out
   */
  readonly purpose: 'click' | 'open' | 'leave' | 'prefs' | 'arrive' | 'rate' | 'sender' | 'file';
  readonly personId: string;
  readonly sendId: string;
  readonly url?: string;
  /** the block of a letter that asked, and how many of five were given */
  readonly rating?: { readonly block: string; readonly value: number };
  /** the file that is fetched, and until when, in seconds since 1970; 0 is for good */
  readonly file?: { readonly key: string; readonly until: number };
}

const CODES = { click: 'c', open: 'o', leave: 'l', prefs: 'p', arrive: 'a', rate: 'r', sender: 's', file: 'f' } as const;

function sign(secret: string, body: string): string {
  return createHmac('sha256', secret).update(`link:${body}`).digest().subarray(0, 16).toString('base64url');
}

/** Seals a link: nobody can make one up, and a click leads only where a message of ours pointed. */
export function sealLink(secret: string, token: LinkToken): string {
  const { rating, file } = token;
  const rest = rating ? `${rating.value} ${rating.block}` : file ? `${file.until} ${file.key}` : (token.url ?? '');
  const body = Buffer.from([CODES[token.purpose], token.personId, token.sendId, rest].join('|')).toString('base64url');
  return `${body}.${sign(secret, body)}`;
}

/** Where a file of a letter is fetched: for so many days from a moment on, or for good; by nobody's send it is counted for nobody. */
export function downloadLink(
  { url, secret }: { readonly url: string; readonly secret: string },
  ref: { readonly personId: string; readonly id: string } | null,
  now: number,
): (file: string, days: number | null) => string {
  return (key, days) => {
    const until = days === null ? 0 : Math.ceil((now + days * DAY) / 1000);
    return `${url}/fetch/${sealLink(secret, { purpose: 'file', personId: ref?.personId ?? '0', sendId: ref?.id ?? '0', file: { key, until } })}`;
  };
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
  if (purpose === 'file') {
    const [, until, key] = /^(\d{1,12}) ([A-Za-z0-9_-]{1,40})$/.exec(url.join('|')) ?? [];
    return key ? { purpose, personId, sendId, file: { key, until: Number(until) } } : null;
  }
  return { purpose, personId, sendId, ...(url.join('|') && { url: url.join('|') }) };
}
