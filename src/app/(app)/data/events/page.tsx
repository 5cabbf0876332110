import { CatalogueScreen } from '@/ui/data/CatalogueScreen';

export const metadata = { title: 'Events' };

export default function PageCatalogueScreen() {
  return <CatalogueScreen />;
}
