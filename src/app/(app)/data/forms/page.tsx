import { screen } from '@/server/access';
import { FormsScreen } from '@/ui/data/FormsScreen';

export const metadata = { title: 'Forms' };

export default screen(() => <FormsScreen />);
