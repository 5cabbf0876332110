import { findForm } from '@/data/forms';
import { database } from '@/server/database';
import { env } from '@/server/env';

export const dynamic = 'force-dynamic';

/** A script that puts the form into the page where it stands. */
export async function GET(_request: Request, { params }: { params: Promise<{ key: string }> }): Promise<Response> {
  const row = await findForm(database(), (await params).key);
  if (!row || row.archived_at) return new Response('', { status: 404 });
  const address = `${env().url}/form/${row.key}?embedded=1`;
  const height = 170 + row.document.fields.length * 76 + row.document.consents.length * 80 + Math.ceil(row.document.intro.length / 60) * 24;
  return new Response(`(function(){var s=document.currentScript,f=document.createElement("iframe");f.src=${JSON.stringify(address)};f.title=${JSON.stringify(row.document.title)};f.style.cssText="width:100%;max-width:480px;border:0;height:${height}px";s.parentNode.insertBefore(f,s)})();`, {
    headers: { 'content-type': 'text/javascript; charset=utf-8', 'cache-control': 'public, max-age=300', 'x-content-type-options': 'nosniff' },
  });
}
