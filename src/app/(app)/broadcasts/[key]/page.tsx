import { partOf, screen, screenTitle } from '@/server/access';
import { database } from '@/server/base';
import { readBroadcast } from '@/server/broadcasts';
import { readFlow } from '@/server/flows';
import { BroadcastScreen } from '@/ui/broadcasts';

type Props = { params: Promise<{ key: string }> };

export const generateMetadata = screenTitle(
  async ({ params }: Props) => (await readBroadcast(database(), partOf((await params).key))).name,
);

export default screen(async ({ params }: Props) => {
  const key = partOf((await params).key);
  // a flow that is no broadcast has no such page
  const became = await readBroadcast(database(), key);
  return <BroadcastScreen key={key} initial={await readFlow(database(), key)} became={became} />;
});
