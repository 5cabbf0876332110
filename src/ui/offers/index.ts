export { NewOfferScreen } from './NewOfferScreen';
export { OfferScreen } from './OfferScreen';
export { OffersScreen } from './OffersScreen';
