import { partOf, screen } from '@/server/access';
import { TableScreen } from '@/ui/tables';

export const metadata = { title: 'Table' };

export default screen(async ({ params }: { params: Promise<{ key: string }> }) => <TableScreen id={partOf((await params).key)} />);
