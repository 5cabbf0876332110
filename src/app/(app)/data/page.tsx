import { SourcesScreen } from '@/ui/data/SourcesScreen';

export const metadata = { title: 'Sources' };

export default function PageSourcesScreen() {
  return <SourcesScreen />;
}
