export { health, type Health } from './health';
export { metrics } from './metrics';
