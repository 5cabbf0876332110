export { fetchText, tryCall, type Call, type Tried } from './outgoing';
export { callSecret, newSecret } from './secret';
