import { readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { replaceWords } from '@/server/letters';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, request, caller }) => json(await replaceWords(db, await readJson(request), caller.name)));
