import { screen } from '@/server/access';
import { TestsScreen } from '@/ui/revenue';

export const metadata = { title: 'Tests' };

export default screen(() => <TestsScreen />);
