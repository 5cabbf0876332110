import { screen } from '@/server/access';
import { ConsentScreen } from '@/ui/people';

export const metadata = { title: 'Consent' };

export default screen(() => <ConsentScreen />);
