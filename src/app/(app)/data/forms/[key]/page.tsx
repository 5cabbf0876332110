import { partOf, screen } from '@/server/access';
import { FormScreen } from '@/ui/public';

export const metadata = { title: 'Form' };

export default screen(async ({ params }: { params: Promise<{ key: string }> }) => <FormScreen id={partOf((await params).key)} />);
