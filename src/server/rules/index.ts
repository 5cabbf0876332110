export { countRule, explainRule, sayRuleOf } from './rules';
