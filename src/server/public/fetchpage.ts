import { policyOf } from '../door';
import { e, publicPage } from './page';
import type { Speech } from './speech';

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

/** The page in place of a file whose link was good for some days only. */
export const fileOverPage = ({ words, language, storeName }: Speech): string =>
  publicPage(`${words.yourFile} · ${storeName}`, `<h1>${e(words.fileOver)}</h1><p>${e(words.fileOverMeans(storeName))}</p>`, { language });
