import { e, publicPage } from './page';

/** The page on which a question of a letter is answered: it asks, says thanks and takes a few words, or says that the link is none of ours. */
export function ratePage(storeName: string, state: 'ask' | 'done' | 'said' | 'unknown', value = 0): string {
  const store = e(storeName);
  const stars = `<p role="img" aria-label="${value} of 5" style="font-size:28px;letter-spacing:4px">${'★'.repeat(value)}${'☆'.repeat(5 - value)}</p>`;
  const content = {
    ask: `<h1>One moment…</h1>${stars}<p>If nothing happens, press the button.</p><form id="answer" method="post"><button>Give this answer</button></form>
      <script src="/answer.js"></script>`,
    done: `<h1>Thank you</h1>${stars}<form method="post"><label>Will you tell ${store} why? <small>It is read by a person.</small>
      <textarea name="words" rows="4" maxlength="2000" style="font:inherit;padding:8px 10px;width:100%"></textarea></label><button>Send</button></form>`,
    said: `<h1>Thank you</h1><p>${store} has got your words. You can close this page.</p>`,
    unknown: `<h1>This link is not complete</h1><p>Open it from the message again. If it still does not work, write to ${store}.</p>`,
  }[state];
  return publicPage(`${state === 'unknown' ? 'Your answer' : 'Thank you'} · ${storeName}`, content);
}
