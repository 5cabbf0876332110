import { partOf, screen } from '@/server/access';
import { ListScreen } from '@/ui/people';

export const metadata = { title: 'List' };

export default screen(async ({ params }: { params: Promise<{ key: string }> }) => <ListScreen id={partOf((await params).key)} />);
