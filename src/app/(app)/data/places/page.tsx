import { screen } from '@/server/access';
import { PlacesScreen } from '@/ui/places';

export const metadata = { title: 'Places and currencies' };

export default screen(() => <PlacesScreen />);
