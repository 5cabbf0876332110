export { changeLines, type ActChange, type ChangeLine } from './changes';
