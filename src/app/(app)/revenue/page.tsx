import { screen } from '@/server/access';
import { RevenueScreen } from '@/ui/revenue';

export const metadata = { title: 'Revenue' };

export default screen(() => <RevenueScreen />);
