export { SendingScreen } from './SendingScreen';
