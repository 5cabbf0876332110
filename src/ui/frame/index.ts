export { Frame } from './Frame';
