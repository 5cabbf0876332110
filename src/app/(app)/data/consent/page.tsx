import { ConsentScreen } from '@/ui/data/ConsentScreen';

export const metadata = { title: 'Consent' };

export default function PageConsentScreen() {
  return <ConsentScreen />;
}
