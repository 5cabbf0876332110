import { screen } from '@/server/access';
import { BrandScreen } from '@/ui/letters';

export const metadata = { title: 'Brand' };

export default screen(() => <BrandScreen />);
