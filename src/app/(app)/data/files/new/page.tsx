import { ImportScreen } from '@/ui/data/ImportScreen';

export const metadata = { title: 'Import a file' };

export default function PageImportScreen() {
  return <ImportScreen />;
}
