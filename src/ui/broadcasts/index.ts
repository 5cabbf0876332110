export { BroadcastScreen } from './BroadcastScreen';
export { BroadcastsTable } from './BroadcastsTable';
export { CalendarScreen } from './CalendarScreen';
export { OutPlaces } from './places';
