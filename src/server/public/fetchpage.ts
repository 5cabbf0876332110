import { policyOf } from '../door';
import { e, publicPage } from './page';

const POLICY = policyOf({ 'default-src': ["'none'"], sandbox: [], 'frame-ancestors': ["'none'"] });

/** A file as it is handed out: saved, never run. */
export function fileAnswer(file: { readonly name: string; readonly type: string; readonly bytes: Buffer }, cache: string): Response {
  return new Response(new Uint8Array(file.bytes), {
    headers: {
      'content-type': file.type,
      'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(file.name)}`,
      'content-security-policy': POLICY,
      'cache-control': cache,
    },
  });
}

/** The page in place of a file that is not to be had: not any more, or by a link that is none of ours. */
export function fetchPage(storeName: string, state: 'over' | 'unknown'): string {
  const store = e(storeName);
  return publicPage(
    `Your file · ${storeName}`,
    state === 'over'
      ? `<h1>This link is over</h1><p>It was good for some days after the letter. Write to ${store} if you still need the file.</p>`
      : `<h1>This link is not complete</h1><p>Open it from the letter again. If it still does not work, write to ${store}.</p>`,
  );
}
