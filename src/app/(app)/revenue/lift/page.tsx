import { screen } from '@/server/access';
import { LiftScreen } from '@/ui/revenue';

export const metadata = { title: 'Lift' };

export default screen(() => <LiftScreen />);
