import { accountOf, screen } from '@/server/access';
import { AccountScreen } from '@/ui/access';

export const metadata = { title: 'Your account' };

export default screen(async (_props: object, user) => <AccountScreen initial={await accountOf(user)} />, { isOpen: true });
