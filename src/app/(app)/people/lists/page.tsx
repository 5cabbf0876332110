import { screen } from '@/server/access';
import { ListsScreen } from '@/ui/people/ListsScreen';

export const metadata = { title: 'Lists' };

export default screen(() => <ListsScreen />);
