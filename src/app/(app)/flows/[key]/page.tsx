import type { Metadata } from 'next';
import { notFound } from 'next/navigation';
import { database } from '@/server/database';
import { env } from '@/server/env';
import { readFlow } from '@/server/flows';
import { Problem } from '@/server/http/problem';
import { FlowScreen } from '@/ui/flow/FlowScreen';

type Props = { params: Promise<{ key: string }> };

async function flowOf({ params }: Props) {
  const { key } = await params;
  try {
    return await readFlow(database(), env().databaseUrl, decodeURIComponent(key));
  } catch (error) {
    if (error instanceof Problem && error.status === 404) notFound();
    throw error;
  }
}

export async function generateMetadata(props: Props): Promise<Metadata> {
  return { title: (await flowOf(props)).name };
}

export default async function FlowPage(props: Props) {
  const flow = await flowOf(props);
  return <FlowScreen key={flow.key} initial={flow} />;
}
