import { screen } from '@/server/access';
import { SourcesScreen } from '@/ui/sources';

export const metadata = { title: 'Sources' };

export default screen(() => <SourcesScreen />);
