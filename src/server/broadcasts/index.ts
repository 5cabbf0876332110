export { listOfBroadcasts, readBroadcast } from './broadcasts';
export { calendarOf } from './calendar';
export { reachOfAudience } from './reach';
export { recipientLines, recipientsOf, splitOfBroadcast } from './recipients';
