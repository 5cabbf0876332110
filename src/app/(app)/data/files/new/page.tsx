import { screen } from '@/server/access';
import { ImportScreen } from '@/ui/work';

export const metadata = { title: 'Import a file' };

export default screen(async ({ searchParams }: { searchParams: Promise<{ list?: string }> }) => (
  <ImportScreen list={(await searchParams).list ?? ''} />
));
