import { screen } from '@/server/access';
import { FeedsScreen } from '@/ui/letters';

export const metadata = { title: 'Feeds' };

export default screen(() => <FeedsScreen />);
