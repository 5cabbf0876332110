import { ListScreen } from '@/ui/people/ListScreen';

export const metadata = { title: 'List' };

export default async function PageListScreen({ params }: { params: Promise<{ key: string }> }) {
  return <ListScreen id={decodeURIComponent((await params).key)} />;
}
