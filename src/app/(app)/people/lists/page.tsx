import { ListsScreen } from '@/ui/people/ListsScreen';

export const metadata = { title: 'Lists' };

export default function PageListsScreen() {
  return <ListsScreen />;
}
