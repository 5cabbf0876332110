import { screen } from '@/server/access';
import { FormsScreen } from '@/ui/public';

export const metadata = { title: 'Forms' };

export default screen(() => <FormsScreen />);
