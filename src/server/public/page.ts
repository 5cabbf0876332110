import { escapeHtml as e } from '@/core/text';
import { strangersPolicy } from '../door';
import type { Problem } from '../http';

export { e };

const STYLE = `*{box-sizing:border-box}body{margin:0;background:#F7F5F0;color:#1F2328;accent-color:#8B2635;font:16px/24px system-ui,sans-serif}a{color:#8B2635}
main{max-width:480px;margin:8vh auto;padding:28px 32px;background:#fff;border:1px solid #DDD8CC;border-radius:6px}
h1{font-size:22px;line-height:28px;margin:0 0 12px}h2{font-size:16px;margin:22px 0 6px}p{margin:0 0 14px}form{display:grid;gap:14px}
label{display:grid;gap:4px;font-weight:600}label small,.hint{font-weight:400;color:#565B63;font-size:14px;line-height:20px}
input[type=text],input[type=email],input[type=tel],input[type=date],input[type=number],select{font:inherit;font-weight:400;padding:8px 10px;
  border:1px solid #8d8778;border-radius:6px;width:100%;background:#fff;color:#1F2328}
fieldset{border:0;padding:0;margin:0;display:grid;gap:8px}legend{font-weight:600;padding:0;margin-bottom:4px}
.box{display:grid;grid-template-columns:20px 1fr;gap:10px;font-weight:400;align-items:start}
.box .hint{display:inline-block}.box input{margin:4px 0 0;width:18px;height:18px}.wrong{color:#B3261E;font-weight:600;font-size:14px;line-height:20px}
button{justify-self:start;background:#8B2635;color:#fff;border:0;border-radius:6px;padding:10px 18px;font:inherit;font-weight:600;
  cursor:pointer}
button.plain{background:#fff;color:#1F2328;border:1px solid #8d8778}:focus-visible{outline:2px solid #8B2635;outline-offset:2px}
.away{position:absolute;left:-6000px}.embedded{background:#fff}.embedded main{margin:0}
.wide main{max-width:760px}table{border-collapse:collapse;width:100%;margin:0 0 8px;font-size:15px}
th,td{padding:7px 10px;border-bottom:1px solid #DDD8CC;text-align:left;vertical-align:top}th{font-size:13px;color:#565B63}
.n{text-align:right;white-space:nowrap;font-variant-numeric:tabular-nums}svg{max-width:100%;height:auto}`;

/** The shell of pages for people who are not signed in anywhere: forms, confirmations, preferences. No script of ours is needed to use them. */
export function publicPage(
  title: string,
  content: string,
  options: { isEmbedded?: boolean; isWide?: boolean; language?: string } = {},
): string {
  return `<!doctype html><html lang="${e(options.language ?? 'en')}"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<meta name="robots" content="noindex"><title>${e(title)}</title>
<style>${STYLE}</style></head><body${options.isEmbedded ? ' class="embedded"' : options.isWide ? ' class="wide"' : ''}><main>${content}</main></body></html>`;
}

/** A box to tick with its words, which are HTML; `attributes` name it. */
export const tickBox = (attributes: string, isTicked: boolean, words: string): string =>
  `<label class="box"><input type="checkbox" value="yes" ${attributes}${isTicked ? ' checked' : ''}><span>${words}</span></label>`;

/** What a list offers: values with their words, one of them chosen. */
export const optionsOf = (options: readonly (readonly [value: string, words: string])[], chosen?: string): string =>
  options.map(([value, words]) => `<option value="${e(value)}"${value === chosen ? ' selected' : ''}>${e(words)}</option>`).join('');

/** An answer with such a page; `frames` are the sites that may show it in a frame, `leadsTo` those to which its form leads on. */
export function pageAnswer(
  body: string,
  status = 200,
  { frames, leadsTo, headers }: { frames?: readonly string[]; leadsTo?: readonly string[]; headers?: Record<string, string> } = {},
): Response {
  return new Response(body, {
    status,
    headers: {
      'content-type': 'text/html; charset=utf-8',
      'cache-control': 'no-store',
      'x-robots-tag': 'noindex',
      'referrer-policy': 'no-referrer',
      'content-security-policy': strangersPolicy(STYLE, { frames, leadsTo }),
      ...headers,
    },
  });
}

/** A problem as a page that anybody understands. */
export function problemPage(problem: Problem): Response {
  const title = problem.status >= 500 ? 'Not at the moment' : problem.title;
  const says = problem.status >= 500 ? 'Something is wrong on our side. Please try again in a minute.' : problem.detail;
  return pageAnswer(publicPage(title, `<h1>${e(title)}</h1><p>${e(says)}</p>`), problem.status, { headers: { ...problem.headers } });
}

/** A problem in a line of text, for what is no page. */
export const problemText = (problem: Problem): Response =>
  new Response(problem.detail, {
    status: problem.status,
    headers: { 'content-type': 'text/plain; charset=utf-8', 'cache-control': 'no-store', ...problem.headers },
  });

/** Leads a browser on. Letters beyond ASCII in an address are written as RFC 3986 has them. */
export const leadOn = (address: string, status: 302 | 303 = 302): Response =>
  new Response(null, {
    status,
    headers: { location: new URL(address).href, 'cache-control': 'no-store', 'referrer-policy': 'no-referrer' },
  });
