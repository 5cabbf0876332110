import { route, written } from '@/server/door';
import { sendReportNow } from '@/server/reports';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, caller }) => {
  const sent = await sendReportNow(db, params.key!, caller.name);
  return written(sent, sent, 202);
});
