import { screen } from '@/server/access';
import { AttributesScreen } from '@/ui/data/AttributesScreen';

export const metadata = { title: 'Attributes' };

export default screen(() => <AttributesScreen />);
