import { recipientLines } from '@/server/broadcasts';
import { route } from '@/server/door';

export const dynamic = 'force-dynamic';
/** Who got it and what they did, as a file. */
export const GET = route(async ({ db, params, url }) => {
  const lines = recipientLines(db, params.key!, url);
  const first = await lines.next();
  const encoder = new TextEncoder();
  const body = new ReadableStream<Uint8Array>({
    start: (controller) => controller.enqueue(encoder.encode(first.value ?? '')),
    pull: async (controller) => {
      const { done, value } = await lines.next();
      if (done) controller.close();
      else controller.enqueue(encoder.encode(value));
    },
    cancel: () => void lines.return(undefined),
  });
  return new Response(body, {
    headers: {
      'content-type': 'text/csv; charset=utf-8',
      'content-disposition': `attachment; filename="${params.key!.replace(/[^a-z0-9-]/g, '')}.csv"`,
      'cache-control': 'no-store',
    },
  });
});
