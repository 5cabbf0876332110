export { type Asked, asked, noteOutage } from './asked';
export { moveSchema } from './bodies';
export { callerAddress } from './caller';
export { periodOf, type Period } from './period';
export { type FieldProblem, problemsOf } from '@/core/api';
export { notFound, Problem } from './problem';
export { linesOf, readLines } from './table';
export { cursorOf, oneOf, revisionSeen, wholeNumber } from './query';
export { LARGEST_BODY, LARGEST_RULE, readAnyJson, readBytes, readFormBody, readJson, readRaw, unstorable } from './read';
