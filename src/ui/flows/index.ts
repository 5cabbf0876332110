export { FlowScreen } from './FlowScreen';
export { FlowsTable } from './FlowsTable';
