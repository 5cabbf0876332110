export { Narrowing } from './Narrowing';
export { without } from './parts';
export { Hours } from './When';
export { RuleEditor } from './RuleEditor';
