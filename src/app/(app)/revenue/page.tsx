import { screen } from '@/server/access';
import { RevenueScreen } from '@/ui/RevenueScreen';

export const metadata = { title: 'Revenue' };

export default screen(() => <RevenueScreen />);
