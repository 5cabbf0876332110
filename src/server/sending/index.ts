export { sendingView, writeLimits, writeTracking } from './sending';
export { putTextPrices, textPrices } from './prices';
