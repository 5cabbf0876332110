export { issueTo, storeCodes, tellCodes, type CodeToIssue } from './issue';
