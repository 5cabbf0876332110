import { screen } from '@/server/access';
import { database } from '@/server/base';
import { team } from '@/server/team';
import { TeamScreen } from '@/ui/team';

export const metadata = { title: 'Team' };

export default screen(async (_: object, user) => <TeamScreen initial={await team(database(), user)} mayChange={user.role === 'owner'} />);
