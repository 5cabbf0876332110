import { screen } from '@/server/access';
import { CartsScreen } from '@/ui/revenue';

export const metadata = { title: 'Carts' };

export default screen(() => <CartsScreen />);
