import { AttributesScreen } from '@/ui/data/AttributesScreen';

export const metadata = { title: 'Attributes' };

export default function PageAttributesScreen() {
  return <AttributesScreen />;
}
