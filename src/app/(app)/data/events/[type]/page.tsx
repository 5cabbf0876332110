import { TypeScreen } from '@/ui/data/TypeScreen';

export const metadata = { title: 'Event type' };

export default async function PageTypeScreen({ params }: { params: Promise<{ type: string }> }) {
  return <TypeScreen id={decodeURIComponent((await params).type)} />;
}
