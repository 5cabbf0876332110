export { callsView, makeCall, type Calling, renewSecret, retryCall } from './calls';
export { tellNote } from './notes';
export { changeOthers } from './others';
export { closeTask, tasksView, writeTaskOf } from './tasks';
