export { runSegment } from './build';
export { lookAtPeople } from './look';
