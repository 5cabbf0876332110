import { screen } from '@/server/access';
import { database } from '@/server/base';
import { listOfBroadcasts } from '@/server/broadcasts';
import { BroadcastsTable } from '@/ui/broadcasts';

export const metadata = { title: 'Broadcasts' };

export default screen(async () => <BroadcastsTable initial={await listOfBroadcasts(database())} />);
