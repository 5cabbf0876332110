export { sendingView, writeLimits, writeTracking } from './sending';
