import { partOf, screen, screenTitle } from '@/server/access';
import { database } from '@/server/base';
import { readFlow } from '@/server/flows';
import { Storyboard } from '@/ui/flows';

type Props = { params: Promise<{ key: string }> };
const flowOf = async ({ params }: Props) => readFlow(database(), partOf((await params).key));

export const generateMetadata = screenTitle(async (props: Props) => `${(await flowOf(props)).name}, storyboard`);

export default screen(async (props: Props) => <Storyboard flow={await flowOf(props)} />);
