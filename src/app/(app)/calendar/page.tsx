import { screen } from '@/server/access';
import { database } from '@/server/base';
import { calendarOf } from '@/server/broadcasts';
import { CalendarScreen } from '@/ui/broadcasts';

export const metadata = { title: 'Calendar' };

export default screen(async () => <CalendarScreen initial={await calendarOf(database(), new URL('http://x/'))} />);
