import type { Metadata } from 'next';
import { notFound } from 'next/navigation';
import { database } from '@/server/database';
import { env } from '@/server/env';
import { Problem } from '@/server/http/problem';
import { personView } from '@/server/people';
import { PersonScreen } from '@/ui/people/PersonScreen';

type Props = { params: Promise<{ id: string }> };

async function viewOf({ params }: Props) {
  try {
    return await personView(database(), env().databaseUrl, decodeURIComponent((await params).id));
  } catch (error) {
    if (error instanceof Problem) notFound();
    throw error;
  }
}

export async function generateMetadata(props: Props): Promise<Metadata> {
  const person = await viewOf(props);
  return { title: String(person.attributes.firstName ?? person.email ?? person.id) };
}

export default async function PersonPage(props: Props) {
  return <PersonScreen initial={await viewOf(props)} />;
}
