import { screen } from '@/server/access';
import { database } from '@/server/base';
import { listOfFlows } from '@/server/flows';
import { OutPlaces } from '@/ui/broadcasts';
import { FlowsTable } from '@/ui/flows';

export const metadata = { title: 'Flows' };

export default screen(async () => (
  <>
    <OutPlaces />
    <FlowsTable initial={await listOfFlows(database())} />
  </>
));
