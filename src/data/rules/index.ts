export { addressSql } from './addresses';
export { changesSince, lookAt, nameCause, wakePeople, withoutHistory } from './changes';
export { turnsToSql } from './turns';
export { loadAllFacts, loadEvents, loadFacts, REACH_COLUMNS, reachOf } from './facts';
export { type Compiled, NotForLists, ruleToSql } from './rules';
