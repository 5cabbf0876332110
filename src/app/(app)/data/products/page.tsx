import { screen } from '@/server/access';
import { ProductsScreen } from '@/ui/products';

export const metadata = { title: 'Products' };

export default screen(() => <ProductsScreen />);
