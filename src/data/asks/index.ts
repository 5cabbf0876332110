export {
  askRow,
  type AskRow,
  aboutAsk,
  closeAsk,
  insertAsks,
  listAsks,
  lockAsk,
  lockOthersAsked,
  type NewAsk,
  noteTry,
  openAgain,
  writeTask,
} from './asks';
