export { fetchText, tryCall, tryPost, type Call, type Tried } from './outgoing';
export { callSecret, newSecret } from './secret';
