import { FormScreen } from '@/ui/data/FormScreen';

export const metadata = { title: 'Form' };

export default async function PageFormScreen({ params }: { params: Promise<{ key: string }> }) {
  return <FormScreen id={decodeURIComponent((await params).key)} />;
}
