export { addressSql } from './addresses';
export { changesSince, lookAt, nameCause, wakePeople, withoutHistory } from './changes';
export { turnsToSql } from './turns';
export { loadAllFacts, loadEvents, loadFacts, placesOf, REACH_COLUMNS, reachOf } from './facts';
export { namedOnFile } from './named';
export { type Compiled, NotForLists } from './looking';
export { ruleToSql } from './rules';
