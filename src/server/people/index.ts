export { attributeList, declareAttribute, renameAttribute, respellAttribute, retire, valuesOf } from './attributes';
export { digestOf, sendConfirmation } from './confirm';
export { changeConsent, noteSoftBounce, savePreferences, suppressAddress, suppressPerson, unsubscribe } from './consent';
export { directory, filterOf, forLists } from './directory';
export {
  consentRecord,
  editPerson,
  enterConsent,
  leaveRun,
  listPeopleOn,
  moveRun,
  putPerson,
  putPersonSchema,
  readTag,
  recordEvent,
  startFlow,
  startMany,
  tagPerson,
  takeOut,
} from './edit';
export { allAbout, eraseById, erasePerson } from './erase';
export { editList, growth, lists, listView, makeList, membership, putAway } from './lists';
export { allMerges, mergePeople, undoMerge } from './merges';
export { personView } from './person';
export {
  buildAgain,
  dropSegment,
  listFromSegment,
  putSegment,
  readySegments,
  restoreSegment,
  segmentHistory,
  segmentMembers,
  segmentMoves,
  segmentOverlaps,
  segments,
  segmentView,
  usesOfTest,
} from './segments';
export { personTimeline } from './story';
export { nameOf, person, publicId } from './who';
export { whyNot } from './why';
export { person as personOf } from './who';
