import { screen } from '@/server/access';
import { ReportsScreen } from '@/ui/reports';

export const metadata = { title: 'Reports' };

export default screen(() => <ReportsScreen />);
