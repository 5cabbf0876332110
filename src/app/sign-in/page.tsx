import { redirect } from 'next/navigation';
import { env } from '@/server/base';
import { canMakePasskeys, signedIn } from '@/server/access';
import { SignIn } from '@/ui/access';
import { askDevice, signIn, signInByDevice } from './actions';

export const metadata = { title: 'Sign in' };
export const dynamic = 'force-dynamic';

export default async function SignInPage() {
  if (await signedIn()) redirect('/today');
  return (
    <SignIn
      signIn={signIn}
      passkey={canMakePasskeys(env().url) ? { ask: askDevice, signIn: signInByDevice } : null}
      demo={env().isDemo ? { email: 'marla@quillfin.example', password: 'tanks-and-trains' } : null}
    />
  );
}
