import { partOf, screen } from '@/server/access';
import { SegmentScreen } from '@/ui/people';

export const metadata = { title: 'Segment' };

export default screen(async ({ params }: { params: Promise<{ key: string }> }) => <SegmentScreen id={partOf((await params).key)} />);
