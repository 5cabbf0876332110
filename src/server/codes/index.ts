export { issueTo, prefixFor, storeCodes, tellCodes, type CodeToIssue } from './issue';
