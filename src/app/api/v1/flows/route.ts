import { listOfFlows } from '@/server/flows';
import { Problem } from '@/server/http';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => {
  const archived = url.searchParams.get('archived') ?? 'no';
  if (archived !== 'yes' && archived !== 'no')
    throw new Problem(400, 'Not a choice', 'Nothing was read.', [
      { field: 'archived', wrong: 'is neither of the two', right: 'yes or no' },
    ]);
  return json(await listOfFlows(db, archived === 'yes'));
});
