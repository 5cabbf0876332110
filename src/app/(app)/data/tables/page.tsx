import { screen } from '@/server/access';
import { TablesScreen } from '@/ui/tables';

export const metadata = { title: 'Tables' };

export default screen(() => <TablesScreen />);
