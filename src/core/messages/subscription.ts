import { safeUrl } from '../text';

/** A browser that takes push messages (W3C Push API): where they go, and by which keys they are sealed for it. */
export interface Subscription {
  readonly endpoint: string;
  readonly keys: { readonly p256dh: string; readonly auth: string };
}

// base64url of a point of P-256 (65 bytes, RFC 8291 §3.1) and of a secret of 16 bytes (§3.2)
const P256DH = /^[A-Za-z0-9_-]{87}=?$/;
const AUTH = /^[A-Za-z0-9_-]{22}(==)?$/;

/**
 * Reads somebody's address for push as the subscription of a browser, as `JSON.stringify` of a PushSubscription writes it; null
 * where it is the token of an app, which only the app's own gateway understands.
 */
export function subscriptionOf(token: string): Subscription | null {
  if (!token.startsWith('{') || token.length > 4000) return null;
  let read: unknown;
  try {
    read = JSON.parse(token);
  } catch {
    return null;
  }
  const { endpoint, keys } = (read ?? {}) as { endpoint?: unknown; keys?: { p256dh?: unknown; auth?: unknown } | null };
  if (typeof endpoint !== 'string' || safeUrl(endpoint) === null || typeof keys !== 'object' || keys === null) return null;
  const { p256dh, auth } = keys;
  return typeof p256dh === 'string' && typeof auth === 'string' && P256DH.test(p256dh) && AUTH.test(auth)
    ? { endpoint, keys: { p256dh, auth } }
    : null;
}
