import { screen } from '@/server/access';
import { database } from '@/server/base';
import { sendingView } from '@/server/sending';
import { SendingScreen } from '@/ui/sending';

export const metadata = { title: 'Sending' };

export default screen(async () => <SendingScreen initial={await sendingView(database())} />);
