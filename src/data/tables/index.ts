export {
  archiveTable,
  findTable,
  listTables,
  storeTable,
  tableRows,
  tablesOf,
  tableVersions,
  useVersion,
  type TableRow,
  type VersionRow,
} from './tables';
