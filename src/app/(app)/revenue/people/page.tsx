import { screen } from '@/server/access';
import { PeopleScreen } from '@/ui/revenue';

export const metadata = { title: 'People over time' };

export default screen(() => <PeopleScreen />);
