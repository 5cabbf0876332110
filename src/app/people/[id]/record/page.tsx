import { readStore } from '@/data/store';
import { partOf, screen } from '@/server/access';
import { database } from '@/server/base';
import { consentRecord, personView } from '@/server/people';
import { ConsentRecord } from '@/ui/people';

export const dynamic = 'force-dynamic';
export const metadata = { title: 'Record of consent' };

/** The printable record of what one person agreed to: a page without the frame. */
export default screen(async ({ params }: { params: Promise<{ id: string }> }, user) => {
  const id = partOf((await params).id);
  const [store, person, record] = await Promise.all([readStore(database()), personView(database(), id), consentRecord(database(), id)]);
  return (
    <ConsentRecord
      store={{ zone: store.zone, address: store.address }}
      person={person}
      log={record.log}
      at={new Date(store.now).toISOString()}
      by={user.name}
    />
  );
});
