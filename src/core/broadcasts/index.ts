export * from './broadcast';
export { sayBroadcast, sayWhat, sayWhen, sayWho } from './words';
export { checkBroadcast } from './check';
