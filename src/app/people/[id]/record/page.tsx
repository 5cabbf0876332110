import { notFound, redirect } from 'next/navigation';
import { readStore } from '@/data/store';
import { database } from '@/server/database';
import { env } from '@/server/env';
import { Problem } from '@/server/http/problem';
import { consentRecord, personView } from '@/server/people';
import { signedIn } from '@/server/session';
import { ConsentRecord } from '@/ui/people/ConsentRecord';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'Record of consent' };

/** The printable record of what one person agreed to: a page without the frame. */
export default async function RecordPage({ params }: { params: Promise<{ id: string }> }) {
  const user = await signedIn();
  if (!user) redirect('/sign-in');
  const id = decodeURIComponent((await params).id);
  try {
    const [store, person, record] = await Promise.all([readStore(database()), personView(database(), env().databaseUrl, id), consentRecord(database(), id)]);
    return <ConsentRecord store={{ zone: store.zone, address: store.address }} person={person} log={record.log} at={new Date(store.now).toISOString()} by={user.name} />;
  } catch (error) {
    if (error instanceof Problem) notFound();
    throw error;
  }
}
