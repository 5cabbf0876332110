import { PeopleTable } from '@/ui/PeopleTable';

export const metadata = { title: 'People' };

export default async function PeoplePage({ searchParams }: { searchParams: Promise<Record<string, string | undefined>> }) {
  const { rule, q, inside } = await searchParams;
  return <PeopleTable key={`${rule}${q}${inside}`} rule={rule ?? ''} words={q ?? ''} inside={inside ?? ''} />;
}
