import { screen } from '@/server/access';
import { LogScreen } from '@/ui/team';

export const metadata = { title: 'Log' };

export default screen(() => <LogScreen />);
