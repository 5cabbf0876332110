import { FilesScreen } from '@/ui/data/FilesScreen';

export const metadata = { title: 'Files' };

export default function PageFilesScreen() {
  return <FilesScreen />;
}
