import { FormsScreen } from '@/ui/data/FormsScreen';

export const metadata = { title: 'Forms' };

export default function PageFormsScreen() {
  return <FormsScreen />;
}
