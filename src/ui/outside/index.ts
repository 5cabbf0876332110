export { OutsideScreen } from './OutsideScreen';
