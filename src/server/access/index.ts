export { accountOf, changePassword, signInAs, signOutElsewhere } from './account';
export { brake } from './brake';
export { checkPassword, hashKey, hashPassword } from './passwords';
export { partOf, screen, screenTitle } from './screen';
export { leaveSession, type SignedIn, signedIn } from './session';
