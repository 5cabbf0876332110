import { screen } from '@/server/access';
import { FilesScreen } from '@/ui/data/FilesScreen';

export const metadata = { title: 'Files' };

export default screen(() => <FilesScreen />);
