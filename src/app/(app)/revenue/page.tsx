import { RevenueScreen } from '@/ui/RevenueScreen';

export const metadata = { title: 'Revenue' };

export default function RevenuePage() {
  return <RevenueScreen />;
}
