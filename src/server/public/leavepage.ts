import { tongueOf } from '@/core/tongue';
import { e, publicPage } from './page';
import type { Speech } from './speech';

/** The page in place of what a link leads to that is none of ours. */
export const notCompletePage = ({ words, language, storeName }: Speech): string =>
  publicPage(`${words.notComplete} · ${storeName}`, `<h1>${e(words.notComplete)}</h1><p>${e(words.openAgain(storeName))}</p>`, {
    language,
  });

/** The page behind the unsubscribe link of a message, for people who are not signed in anywhere. */
export function leavePage({ words, language, storeName }: Speech, state: 'ask' | 'done', token = ''): string {
  const content = {
    ask: `<h1>${e(words.unsubscribing)}</h1><p>${e(words.press)}</p><form id="leave" method="post"><button>${e(words.unsubscribeFrom(storeName))}</button></form><script src="/leave.js"></script>`,
    done: `<h1>${e(words.unsubscribed)}</h1><p>${e(words.noMore(storeName))} ${e(words.ordersStill)}</p>
<p>${e(words.close)}${token ? ` <a href="/prefs/${e(token)}">${e(words.chooseInstead)}</a>` : ''}</p>`,
  }[state];
  const title = state === 'done' ? words.unsubscribed : tongueOf(language).letter.unsubscribe;
  return publicPage(`${title} · ${storeName}`, content, { language });
}
