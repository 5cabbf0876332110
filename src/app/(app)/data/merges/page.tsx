import { screen } from '@/server/access';
import { MergesScreen } from '@/ui/people';

export const metadata = { title: 'Merges' };

export default screen(() => <MergesScreen />);
