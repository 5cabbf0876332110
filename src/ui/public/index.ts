export { FormScreen } from './FormScreen';
export { FormsScreen } from './FormsScreen';
