export { policyOf, strangersPolicy } from './headers';
export { type Call, done, json, personAsking, publicRoute, reportRoute, route, routeOf, written } from './route';
