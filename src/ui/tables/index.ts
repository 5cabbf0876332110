export { TablesScreen } from './TablesScreen';
export { TableScreen } from './TableScreen';
