export { publishFlow, readFlow, restoreVersion, switchFlow, versionOf, versionsOf, writeDraft } from './flows';
export { listOfFlows } from './list';
export { flowReport } from './report';
export { departures, inside } from './inside';
export { preflightOf } from './checked';
export { tellChanges } from './heard';
export { comeRound } from './occasions';
export { BATCH, drain, tick } from './runloop';
export { sayTraces } from './traces';
