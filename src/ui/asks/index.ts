export { CallsScreen } from './CallsScreen';
export { TasksScreen } from './TasksScreen';
