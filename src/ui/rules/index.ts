export { Narrowing } from './Narrowing';
