import { partOf, screen } from '@/server/access';
import { ImportedScreen } from '@/ui/work';

export const metadata = { title: 'Import' };

export default screen(async ({ params }: { params: Promise<{ id: string }> }) => <ImportedScreen id={partOf((await params).id)} />);
