import { screen } from '@/server/access';
import { ConsentScreen } from '@/ui/data/ConsentScreen';

export const metadata = { title: 'Consent' };

export default screen(() => <ConsentScreen />);
