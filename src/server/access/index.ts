export { accountOf, changePassword, NEEDS_CODE, signInAs, signOutElsewhere } from './account';
export { brake } from './brake';
export { askForPasskey, askForSignIn, canMakePasskeys, passkeysView, removePasskey, signInByPasskey, storePasskey } from './passkeys';
export { checkPassword, hashKey, hashPassword } from './passwords';
export { partOf, screen, screenTitle } from './screen';
export { leaveSession, type SignedIn, signedIn } from './session';
export { chooseByLink, firstOwner, forgotPassword, linkOf, sendLink } from './links';
export { weakness } from './strength';
export { asksSecond, drawSecret, secondFactorView, stepOfCode, takeSecond, turnOff, turnOn } from './totp';
