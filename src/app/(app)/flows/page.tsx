import { screen } from '@/server/access';
import { database } from '@/server/base';
import { listOfFlows } from '@/server/flows';
import { FlowsTable } from '@/ui/flows';

export const metadata = { title: 'Flows' };

export default screen(async () => <FlowsTable initial={await listOfFlows(database())} />);
