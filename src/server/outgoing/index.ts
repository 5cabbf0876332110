export { fetchText, tryCall, type Call, type Tried } from './outgoing';
