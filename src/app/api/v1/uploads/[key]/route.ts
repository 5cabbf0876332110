import { done, json, route } from '@/server/door';
import { forgetUpload, lookAtUpload } from '@/server/work';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params, url }) => {
  const [encoding, delimiter, header] = ['encoding', 'delimiter', 'header'].map((name) => url.searchParams.get(name));
  return json(
    await lookAtUpload(db, params.key!, {
      ...(encoding && { encoding }),
      ...(delimiter && { delimiter: delimiter.slice(0, 1) }),
      ...(header && { hasHeader: header === 'yes' }),
    }),
  );
});
export const DELETE = route(async ({ db, params }) => {
  await forgetUpload(db, params.key!);
  return done();
});
