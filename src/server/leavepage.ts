import { escapeHtml } from '@/core/messages';

/** The page behind the unsubscribe link of a message, for people who are not signed in anywhere. */
export function leavePage(storeName: string, state: 'ask' | 'done' | 'unknown', token = ''): string {
  const store = escapeHtml(storeName);
  const content = {
    ask: `<h1>Unsubscribing…</h1><p>One moment. If nothing happens, press the button.</p><form id="leave" method="post"><button>Unsubscribe from ${store}</button></form><script>document.getElementById('leave').submit()</script>`,
    done: `<h1>You are unsubscribed</h1><p>${store} will send no more marketing messages to your address. Messages about orders you place still reach you.</p><p>You can close this page${token ? `, or <a href="/prefs/${escapeHtml(token)}">choose what you get instead</a>` : ''}.</p>`,
    unknown: `<h1>This link is not complete</h1><p>Open it from the message again. If it still does not work, write to ${store}.</p>`,
  }[state];
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${state === 'done' ? 'Unsubscribed' : 'Unsubscribe'} · ${store}</title>
<style>body{margin:0;background:#F7F5F0;color:#1F2328;font:16px/24px system-ui,sans-serif}main{max-width:440px;margin:12vh auto;padding:28px 32px;background:#fff;border:1px solid #DDD8CC;border-radius:6px}h1{font-size:22px;line-height:28px;margin:0 0 12px}button{background:#8B2635;color:#fff;border:0;border-radius:6px;padding:10px 18px;font:inherit;font-weight:600;cursor:pointer}</style></head><body><main>${content}</main></body></html>`;
}
