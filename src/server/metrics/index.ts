export { metrics } from './metrics';
