export { StoreScreen } from './StoreScreen';
