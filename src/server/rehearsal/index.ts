export { documentOf, firstMessage, rehearsalFacts, rehearse } from './rehearse';
