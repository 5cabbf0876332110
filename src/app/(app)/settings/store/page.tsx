import { screen } from '@/server/access';
import { database } from '@/server/base';
import { storeSettings } from '@/server/store';
import { StoreScreen } from '@/ui/store';

export const metadata = { title: 'Store and privacy' };

export default screen(async () => <StoreScreen initial={await storeSettings(database())} />);
