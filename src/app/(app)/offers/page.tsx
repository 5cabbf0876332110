import { screen } from '@/server/access';
import { OffersScreen } from '@/ui/offers';

export const metadata = { title: 'Offers' };

export default screen(() => <OffersScreen />);
