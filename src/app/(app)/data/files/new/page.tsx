import { ImportScreen } from '@/ui/data/ImportScreen';

export const metadata = { title: 'Import a file' };

export default async function ImportPage({ searchParams }: { searchParams: Promise<{ list?: string }> }) {
  return <ImportScreen list={(await searchParams).list ?? ''} />;
}
