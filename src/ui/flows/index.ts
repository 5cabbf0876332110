export { FlowScreen } from './FlowScreen';
export { FlowsTable } from './FlowsTable';
export { Storyboard } from './Storyboard';
