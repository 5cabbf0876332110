export { addressSql } from './addresses';
export { changesSince, nameCause, wakePeople, withoutHistory } from './changes';
export { loadAllFacts, loadEvents, loadFacts, REACH_COLUMNS, reachOf } from './facts';
export { type Compiled, NotForLists, ruleToSql } from './rules';
