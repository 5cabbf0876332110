export { packed, unpacked, type RehearsalFacts } from './packed';
export { rehearsePerson, type OnFile, type Rehearsed, type RehearsalProblem, type RehearsalStore } from './rehearsal';
export { sampleEvent } from './sample';
