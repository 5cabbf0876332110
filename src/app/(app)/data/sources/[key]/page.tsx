import { partOf, screen } from '@/server/access';
import { SourceScreen } from '@/ui/sources';

export const metadata = { title: 'Source' };

export default screen(async ({ params }: { params: Promise<{ key: string }> }) => <SourceScreen id={partOf((await params).key)} />);
