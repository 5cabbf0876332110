import { screen } from '@/server/access';
import { CatalogueScreen } from '@/ui/data/CatalogueScreen';

export const metadata = { title: 'Events' };

export default screen(() => <CatalogueScreen />);
