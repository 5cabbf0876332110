import { screen } from '@/server/access';
import { TodayScreen } from '@/ui/today';

export const metadata = { title: 'Today' };

export default screen(() => <TodayScreen />);
