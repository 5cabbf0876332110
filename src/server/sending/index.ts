export { sendCalendar } from './calendar';
export { sendingView, writeLimits, writeTracking } from './sending';
export { putTextPrices, textPrices } from './prices';
