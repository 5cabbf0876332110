export { countOffers, findOffer, holdBounded, listOffers, readOffer, saveOffer, setArchived, type OfferRow } from './offers';
export {
  codesOf,
  codesOfPerson,
  codesOfRuns,
  findCode,
  issueCodes,
  loadCodes,
  settleCodes,
  sharingOf,
  takeEndedCodes,
  type CodeLife,
  type CodeRow,
  type CodeToTell,
  type NewCode,
} from './codes';
export { costsOf, heldOutOf, messagesWithAndWithout, offerFigures, offersFigures, withheldOf, type OfferFigures } from './figures';
