import { json, route } from '@/server/door';
import { versionOf } from '@/server/flows';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await versionOf(db, params.key!, params.version!)));
