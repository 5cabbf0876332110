import { screen } from '@/server/access';
import { CatalogueScreen } from '@/ui/sources';

export const metadata = { title: 'Events' };

export default screen(() => <CatalogueScreen />);
