export { Narrowing } from './Narrowing';
export { RuleEditor } from './RuleEditor';
