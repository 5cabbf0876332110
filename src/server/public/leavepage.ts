import { e, publicPage } from './page';

/** The page behind the unsubscribe link of a message, for people who are not signed in anywhere. */
export function leavePage(storeName: string, state: 'ask' | 'done' | 'unknown', token = ''): string {
  const store = e(storeName);
  const content = {
    ask: `<h1>Unsubscribing…</h1><p>One moment. If nothing happens, press the button.</p><form id="leave" method="post"><button>Unsubscribe
      from ${store}</button></form><script src="/leave.js"></script>`,
    done: `<h1>You are unsubscribed</h1>
<p>${store} will send no more marketing messages to your address. Messages about orders you place still reach you.</p>
<p>You can close this page${token ? `, or <a href="/prefs/${e(token)}">choose what you get instead</a>` : ''}.</p>`,
    unknown: `<h1>This link is not complete</h1><p>Open it from the message again. If it still does not work, write to ${store}.</p>`,
  }[state];
  return publicPage(`${state === 'done' ? 'Unsubscribed' : 'Unsubscribe'} · ${storeName}`, content);
}
