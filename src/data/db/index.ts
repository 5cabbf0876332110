export { type Cell, copyInto, copyOut, MOST_STREAMS, passCounters, TooManyStreams } from './copy';
export {
  connect,
  constraintOf,
  databaseOf,
  type Db,
  inTransaction,
  isInTheWay,
  isOutage,
  isUnfit,
  migrate,
  query,
  queryOne,
  queryPrepared,
  type Sql,
  whileHeld,
} from './db';
export { ITEMS_OF_EVENT } from './items';
export { rowsOf, textList } from './rows';
export { traced } from './trace';
