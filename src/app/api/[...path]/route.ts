import { Problem } from '@/server/http';
import { route } from '@/server/door';

export const dynamic = 'force-dynamic';
/** An address of the interface that leads nowhere. */
const nowhere = route(async ({ url }) => {
  throw new Problem(404, 'Not found', `There is nothing at ${url.pathname.slice(0, 200)}. What there is stands in /api/v1/openapi.json.`);
}, 'anyone');
export { nowhere as GET, nowhere as POST, nowhere as PUT, nowhere as PATCH, nowhere as DELETE, nowhere as HEAD, nowhere as OPTIONS };
