import { tongueOf } from '@/core/tongue';
import { e, publicPage } from './page';
import type { Speech } from './speech';

/** The page on which a question of a letter is answered: it asks, says thanks and takes a few words. */
export function ratePage({ words, language, storeName }: Speech, state: 'ask' | 'done' | 'said', value: number): string {
  const of = e(tongueOf(language).letter.ofFive(String(value)));
  const stars = `<p role="img" aria-label="${of}" style="font-size:28px;letter-spacing:4px">${'★'.repeat(value)}${'☆'.repeat(5 - value)}</p>`;
  const content = {
    ask: `<h1>${e(words.giveAnswer)}</h1>${stars}<p>${e(words.press)}</p><form id="answer" method="post"><button>${e(words.giveAnswer)}</button></form>
      <script src="/answer.js"></script>`,
    done: `<h1>${e(words.thanks)}</h1>${stars}<form method="post"><label>${e(words.tellWhy(storeName))} <small>${e(words.byPerson)}</small>
      <textarea name="words" rows="4" maxlength="2000" style="font:inherit;padding:8px 10px;width:100%"></textarea></label><button>${e(words.send)}</button></form>`,
    said: `<h1>${e(words.thanks)}</h1><p>${e(words.gotWords(storeName))} ${e(words.close)}</p>`,
  }[state];
  return publicPage(`${words.thanks} · ${storeName}`, content, { language });
}
