export {
  archiveOffer,
  checkFor,
  codeView,
  issueByHand,
  issuesOf,
  loadInto,
  offerCodes,
  offerReport,
  offers,
  offerView,
  putOffer,
  restoreOffer,
} from './offers';
