import { partOf, screen, screenTitle } from '@/server/access';
import { database } from '@/server/base';
import { personView } from '@/server/people';
import { PersonScreen } from '@/ui/people';

type Props = { params: Promise<{ id: string }> };
const viewOf = async ({ params }: Props) => personView(database(), partOf((await params).id));

export const generateMetadata = screenTitle(async (props: Props) => {
  const person = await viewOf(props);
  return String(person.attributes.firstName ?? person.email ?? person.id);
});

export default screen(async (props: Props) => <PersonScreen initial={await viewOf(props)} />);
