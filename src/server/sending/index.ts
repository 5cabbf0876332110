export { sendingView, writeLimits } from './sending';
