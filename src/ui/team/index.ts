export { LogScreen } from './LogScreen';
export { TeamScreen } from './TeamScreen';
