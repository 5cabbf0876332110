export { putTable, removeTable, restoreTable, rowsOfTable, tables, tableView } from './tables';
