export { AccountScreen } from './AccountScreen';
export { SignIn } from './SignIn';
