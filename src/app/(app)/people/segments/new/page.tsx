import { screen } from '@/server/access';
import { NewSegmentScreen } from '@/ui/people';

export const metadata = { title: 'New segment' };

export default screen(async ({ searchParams }: { searchParams: Promise<Record<string, string | string[] | undefined>> }) => {
  const { rule, name } = await searchParams;
  return <NewSegmentScreen rule={typeof rule === 'string' ? rule : null} name={typeof name === 'string' ? name : ''} />;
});
