import { partOf, screen } from '@/server/access';
import { OfferScreen } from '@/ui/offers';

export const metadata = { title: 'Offer' };

export default screen(async ({ params }: { params: Promise<{ key: string }> }) => <OfferScreen id={partOf((await params).key)} />);
