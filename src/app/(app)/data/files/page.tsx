import { screen } from '@/server/access';
import { FilesScreen } from '@/ui/work';

export const metadata = { title: 'Files' };

export default screen(() => <FilesScreen />);
