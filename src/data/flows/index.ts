export {
  createFlow,
  documentsNow,
  findFlow,
  flowsNow,
  listFlows,
  listVersions,
  lockFlow,
  lookAgain,
  type FlowRow,
  publishDraft,
  replaceDraft,
  readVersion,
  saveDraft,
  setFlowState,
  wakeInside,
} from './flows';
export { flowsBeside, formsSince, limitedLately, reachOfEvents } from './lately';
export { setHeard, takeChanges } from './heard';
export { claimOccasion, moveOccasion, noteTold, setOccasions } from './occasions';
export { recordedPeople } from './replay';
export { addStarter, ownStarters, removeStarter, type StarterRow } from './starters';
export { armShares, noteVerdict, verdictsOf, type ArmShares, type VerdictRow } from './verdicts';
export { armCounts, creditByStep, creditedOrders, doneBy, flowLoad, runCounts, sendCounts, waitingCounts } from './reports';
export {
  aboutOf,
  armCalled,
  type Arming,
  armRuns,
  type Beginning,
  beginningRows,
  claimDue,
  EARLIER,
  earlierRuns,
  type EarlierRuns,
  findRuns,
  insertSends,
  isAnythingDue,
  type NewSend,
  nextDue,
  parkRuns,
  readEarlier,
  type RunChange,
  type RunRow,
  runsIn,
  saveRuns,
  type SendRef,
  toRun,
  type TraceRow,
  tracesOf,
} from './runs';
export {
  aboutRun,
  putAt,
  departing,
  entriesBy,
  insideBy,
  dueBy,
  type InsideRow,
  moveRuns,
  peopleInside,
  countInside,
  endAllRuns,
  enteredByDay,
  endRuns,
  openTwice,
  wakeHeld,
} from './standing';
