export { askRow, type AskRow, aboutAsk, closeAsk, insertAsks, listAsks, lockAsk, type NewAsk, noteTry, openAgain, writeTask } from './asks';
