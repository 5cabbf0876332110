import { screen } from '@/server/access';
import { NewOfferScreen } from '@/ui/offers';

export const metadata = { title: 'New offer' };

export default screen(() => <NewOfferScreen />);
