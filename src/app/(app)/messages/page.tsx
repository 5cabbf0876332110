import { screen } from '@/server/access';
import { LibraryScreen } from '@/ui/letters';

export const metadata = { title: 'Messages' };

export default screen(() => <LibraryScreen />);
