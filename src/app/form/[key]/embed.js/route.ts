import { findForm } from '@/data/public';
import { env } from '@/server/base';
import { Problem } from '@/server/http';
import { publicRoute } from '@/server/door';
import { problemText } from '@/server/public';

export const dynamic = 'force-dynamic';

/** A script that puts the form into the page where it stands. With the page's snippet it tells from which device, which counts when the form is confirmed. */
export const GET = publicRoute(async ({ db, params }) => {
  const row = await findForm(db, params.key!);
  if (!row || row.archived_at) throw new Problem(404, 'Not found', 'There is no such form.');
  const address = `${env().url}/form/${encodeURIComponent(row.key)}?embedded=1`;
  const height = 170 + row.document.fields.length * 76 + row.document.consents.length * 80 + Math.ceil(row.document.intro.length / 60) * 24;
  return new Response(
    `(function(){var s=document.currentScript,f=document.createElement("iframe"),m=document.cookie.match("(?:^|; )viatic_id=([^;]*)");f.src=${JSON.stringify(address)}+(m?"&device="+m[1]:"");f.title=${JSON.stringify(row.document.title)};f.style.cssText="width:100%;max-width:480px;border:0;height:${height}px";s.parentNode.insertBefore(f,s)})();`,
    {
      headers: {
        'content-type': 'text/javascript; charset=utf-8',
        'cache-control': 'public, max-age=300',
        'cross-origin-resource-policy': 'cross-origin',
      },
    },
  );
}, problemText);
