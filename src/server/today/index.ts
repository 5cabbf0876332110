export { today } from './today';
