import { parseInstant } from '@/core/time';
import { json, route } from '@/server/door';
import { today } from '@/server/today';

export const dynamic = 'force-dynamic';
/** What the day starts with; `since` asks for what others have done from a moment on. */
export const GET = route(async ({ db, url, caller }) => {
  const since = url.searchParams.get('since');
  return json(await today(db, since ? parseInstant(since) : null, caller.name));
});
