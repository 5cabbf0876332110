import { screen } from '@/server/access';
import { SourcesScreen } from '@/ui/data/SourcesScreen';

export const metadata = { title: 'Sources' };

export default screen(() => <SourcesScreen />);
