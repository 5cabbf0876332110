import { partOf, screen } from '@/server/access';
import { FormScreen } from '@/ui/data/FormScreen';

export const metadata = { title: 'Form' };

export default screen(async ({ params }: { params: Promise<{ key: string }> }) => <FormScreen id={partOf((await params).key)} />);
