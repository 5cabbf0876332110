import { partOf, screen } from '@/server/access';
import { TypeScreen } from '@/ui/sources';

export const metadata = { title: 'Event type' };

export default screen(async ({ params }: { params: Promise<{ type: string }> }) => <TypeScreen id={partOf((await params).type)} />);
