import { screen } from '@/server/access';
import { AttributesScreen } from '@/ui/people';

export const metadata = { title: 'Attributes' };

export default screen(() => <AttributesScreen />);
