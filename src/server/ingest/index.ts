export { attributeRecords, forgetAttributes } from './attributes';
export { changeOf, identify, lookUp } from './identity';
export { ingest, type IngestAnswer, type OwnEvent, recordFor, recordOwn, recordSame } from './ingest';
export { endedBefore, joinRuns } from './join';
export { envelopeSchema, MOST_EVENTS, type ParsedEvent, parseEvent } from './parse';
export { settleAnew } from './settle';
