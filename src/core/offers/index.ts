export { expiryOf, isOver, offerKey, offerSchema, sayAmount, sayExpiry, sayGives, sayTerms, type Offer, type Offers } from './offer';
export { CODE_EXPIRED, CODE_ISSUED, CODE_USED, guardRules, sayGuard, sayGuarded, type Guard, type Guarded } from './guard';
export { CODE_LETTERS, codeOf, prefixOf, sayExpires } from './code';
export { offerWords, prefixFor } from './words';
export { askedCartSchema, checkCode, type AskedCart, type Checked, type CodeState, type Refused } from './check';
