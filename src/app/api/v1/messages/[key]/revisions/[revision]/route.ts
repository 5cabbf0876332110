import { json, route } from '@/server/door';
import { libraryRevision } from '@/server/letters';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await libraryRevision(db, params.key!, Number(params.revision))));
