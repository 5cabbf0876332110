export { callsView, makeCall, type Calling, renewSecret, retryCall } from './calls';
export { closeTask, tasksView, writeTaskOf } from './tasks';
