export { RevenueScreen } from './RevenueScreen';
