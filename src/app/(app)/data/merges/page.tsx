import { MergesScreen } from '@/ui/data/MergesScreen';

export const metadata = { title: 'Merges' };

export default function PageMergesScreen() {
  return <MergesScreen />;
}
