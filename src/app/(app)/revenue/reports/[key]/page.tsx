import { partOf, screen } from '@/server/access';
import { ReportScreen } from '@/ui/reports';

export const metadata = { title: 'Report' };

export default screen(async ({ params }: { params: Promise<{ key: string }> }) => <ReportScreen id={partOf((await params).key)} />);
