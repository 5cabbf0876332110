import { route } from '@/server/door';
import { pushWorkerScript, scriptAnswer } from '@/server/public';

export const dynamic = 'force-dynamic';
/** What shows messages in the browsers of readers. */
export const GET = route(() => Promise.resolve(scriptAnswer(pushWorkerScript())), 'anyone');
