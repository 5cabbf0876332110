import { screen } from '@/server/access';
import { MergesScreen } from '@/ui/data/MergesScreen';

export const metadata = { title: 'Merges' };

export default screen(() => <MergesScreen />);
