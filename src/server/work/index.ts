export { bulkActSchema, startBulk, startMatching } from './acts';
export { namedInBacktest, startBacktest } from './backtests';
export { workContext } from './context';
export { exportFile } from './exports';
export { badRowsFile, forgetUpload, startImport } from './imports';
export type { Finished, Report } from './start';
export { lookAtUpload, takeUpload } from './uploads';
export { doWork, stopWork, undoWork, work, works, workView } from './work';
