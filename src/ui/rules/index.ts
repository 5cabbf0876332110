export { Narrowing } from './Narrowing';
export { AnswersContext } from './Answered';
export { without } from './parts';
export { Hours } from './When';
export { Asked } from './Where';
export { RuleEditor } from './RuleEditor';
export { useKnown } from './useKnown';
export { Why } from './Why';
