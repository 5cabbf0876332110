import { SourceScreen } from '@/ui/data/SourceScreen';

export const metadata = { title: 'Source' };

export default async function PageSourceScreen({ params }: { params: Promise<{ key: string }> }) {
  return <SourceScreen id={decodeURIComponent((await params).key)} />;
}
