export { issueTo, storeCodes, tellCodes, type CodeToIssue } from './issue';
export { codeHook, putCodeHook, tellShop } from './hook';
