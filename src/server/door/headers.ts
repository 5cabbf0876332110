import { createHash } from 'node:crypto';

/** What a page may do, as a Content-Security-Policy (W3C CSP Level 3). */
export function policyOf(directives: { readonly [name: string]: readonly string[] }): string {
  return Object.entries(directives)
    .map(([name, values]) => [name, ...values].join(' '))
    .join('; ');
}

const BASE = { 'default-src': ["'self'"], 'base-uri': ["'none'"], 'object-src': ["'none'"], 'form-action': ["'self'"] };

/**
 * For our own screens: scripts only with the nonce of this answer and what those load. Pictures may come from
 * anywhere, for products and letters are shown; styles may stand in the page, for the script-free first view has them.
 */
export const screenPolicy = (nonce: string): string =>
  policyOf({
    ...BASE,
    'script-src': ["'self'", `'nonce-${nonce}'`, "'strict-dynamic'"],
    // what a screen computes beside itself comes from our files
    'worker-src': ["'self'"],
    'style-src': ["'self'", "'unsafe-inline'"],
    'img-src': ["'self'", 'data:', 'https:', 'http:'],
    'frame-ancestors': ["'none'"],
  });

/** For answers that are no pages: nothing at all, and in no frame. */
export const DATA_POLICY = policyOf({ 'default-src': ["'none'"], 'frame-ancestors': ["'none'"] });

/** For the stand-ins, which are strangers on our address: their own scripts from files, and nobody else's. */
export const OUTSIDE_POLICY = policyOf({
  ...BASE,
  'script-src': ["'self'"],
  'style-src': ["'self'", "'unsafe-inline'"],
  'img-src': ["'self'", 'data:'],
  'frame-ancestors': ["'self'"],
});

/**
 * For pages that people without an account see: one style that is known beforehand, scripts only from our files; where sites
 * are named, or none of them, it may stand in a frame of ours and of theirs.
 */
export function strangersPolicy(
  style: string,
  { frames, leadsTo = [] }: { frames?: readonly string[]; leadsTo?: readonly string[] },
): string {
  return policyOf({
    ...BASE,
    'default-src': ["'none'"],
    'script-src': ["'self'"],
    'style-src': [`'sha256-${createHash('sha256').update(style).digest('base64')}'`],
    // a browser holds the address that a form leads on to against this, too
    'form-action': ["'self'", ...leadsTo],
    'frame-ancestors': frames ? ["'self'", ...frames] : ["'none'"],
  });
}

/** What every answer says, unless it says something of its own. */
export const HEADERS: { readonly [name: string]: string } = {
  'x-content-type-options': 'nosniff',
  'referrer-policy': 'strict-origin-when-cross-origin',
  'permissions-policy':
    'accelerometer=(), camera=(), geolocation=(), gyroscope=(), magnetometer=(), microphone=(), payment=(), usb=(), browsing-topics=()',
  'cross-origin-opener-policy': 'same-origin',
};
