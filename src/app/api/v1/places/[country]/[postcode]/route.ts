import { json, route } from '@/server/door';
import { placeView } from '@/server/places';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await placeView(db, params.country!, params.postcode!)));
