export { documentOf, rehearse } from './rehearse';
