export { Comments } from './Comments';
export { Notices } from './Notices';
export { Notified } from './Notified';
