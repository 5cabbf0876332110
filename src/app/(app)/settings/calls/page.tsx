import { screen } from '@/server/access';
import { callsView } from '@/server/asks';
import { database } from '@/server/base';
import { CallsScreen } from '@/ui/asks';

export const metadata = { title: 'Calls' };

export default screen(async () => <CallsScreen initial={await callsView(database())} />);
