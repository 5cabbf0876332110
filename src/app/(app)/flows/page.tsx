import { database } from '@/server/database';
import { listOfFlows } from '@/server/flowlist';
import { FlowsTable } from '@/ui/FlowsTable';

export const metadata = { title: 'Flows' };

export default async function FlowsPage() {
  return <FlowsTable initial={await listOfFlows(database())} />;
}
