export { policyOf, strangersPolicy } from './headers';
export { type Call, done, json, personAsking, publicRoute, route, written } from './route';
