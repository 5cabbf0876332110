import { screen } from '@/server/access';
import { SegmentsScreen } from '@/ui/people';

export const metadata = { title: 'Segments' };

export default screen(() => <SegmentsScreen />);
