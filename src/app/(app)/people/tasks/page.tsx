import { screen } from '@/server/access';
import { tasksView } from '@/server/asks';
import { database } from '@/server/base';
import { TasksScreen } from '@/ui/asks';

export const metadata = { title: 'Tasks' };

export default screen(async () => <TasksScreen initial={await tasksView(database())} />);
