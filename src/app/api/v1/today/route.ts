import { parseInstant } from '@/core/time';
import { json, route } from '@/server/door';
import { Problem } from '@/server/http';
import { today } from '@/server/today';

export const dynamic = 'force-dynamic';
/** What the day starts with; `since` asks for what others have done from a moment on. */
export const GET = route(async ({ db, url, caller }) => {
  const text = url.searchParams.get('since');
  const since = text ? parseInstant(text) : null;
  if (text && since === null)
    throw new Problem(400, 'Not a time', 'The query parameter "since" is not a time.', [
      { field: 'since', wrong: `is "${text.slice(0, 40)}"`, right: 'a time such as 2026-11-24T09:00:00Z' },
    ]);
  return json(await today(db, since, caller.name));
});
