export { FlowScreen } from './FlowScreen';
export { LetterLayer } from './LetterLater';
export { MessageEditor } from './MessageEditor';
export { Preflight, usePreflight } from './Preflight';
export { ScheduleFields } from './ScheduleFields';
export { Tick, type Edit } from './fields';
export { TrialFields, USUAL_TRIAL } from './TrialFields';
export { FlowsTable } from './FlowsTable';
export { Storyboard } from './Storyboard';
