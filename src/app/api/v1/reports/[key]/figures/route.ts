import { json, route } from '@/server/door';
import { reportDocument, reportFigures } from '@/server/reports';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await reportFigures(db, await reportDocument(db, params.key!))));
