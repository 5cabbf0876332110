import { partOf, screen } from '@/server/access';
import { MessageScreen } from '@/ui/letters';

export const metadata = { title: 'Message' };

export default screen(async ({ params }: { params: Promise<{ key: string }> }) => <MessageScreen id={partOf((await params).key)} />);
