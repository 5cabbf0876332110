import { screen } from '@/server/access';
import { PeopleTable } from '@/ui/people';

export const metadata = { title: 'People' };

export default screen(async ({ searchParams }: { searchParams: Promise<Record<string, string | string[] | undefined>> }) => {
  const query = new URLSearchParams(
    Object.entries(await searchParams).flatMap(([name, value]) => (typeof value === 'string' ? [[name, value]] : [])),
  ).toString();
  return <PeopleTable key={query} query={query} />;
});
