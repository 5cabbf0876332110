import { ImportedScreen } from '@/ui/data/ImportedScreen';

export const metadata = { title: 'Import' };

export default async function PageImportedScreen({ params }: { params: Promise<{ id: string }> }) {
  return <ImportedScreen id={decodeURIComponent((await params).id)} />;
}
