import { notFound } from 'next/navigation';
import { screen } from '@/server/access';
import { env } from '@/server/base';
import { OutsideScreen } from '@/ui/outside';

export const metadata = { title: 'Outside' };

export default screen(async ({ searchParams }: { searchParams: Promise<{ to?: string }> }) => {
  if (!env().isDemo) notFound();
  return <OutsideScreen to={(await searchParams).to ?? ''} />;
});
