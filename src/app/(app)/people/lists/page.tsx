import { screen } from '@/server/access';
import { ListsScreen } from '@/ui/people';

export const metadata = { title: 'Lists' };

export default screen(() => <ListsScreen />);
