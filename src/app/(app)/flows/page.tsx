import { screen } from '@/server/access';
import { database } from '@/server/database';
import { listOfFlows } from '@/server/flowlist';
import { FlowsTable } from '@/ui/FlowsTable';

export const metadata = { title: 'Flows' };

export default screen(async () => <FlowsTable initial={await listOfFlows(database())} />);
