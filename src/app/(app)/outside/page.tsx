import { notFound } from 'next/navigation';
import { env } from '@/server/env';
import { OutsideScreen } from '@/ui/OutsideScreen';

export const metadata = { title: 'Outside' };

export default async function OutsidePage({ searchParams }: { searchParams: Promise<{ to?: string }> }) {
  if (!env().isDemo) notFound();
  return <OutsideScreen to={(await searchParams).to ?? ''} />;
}
