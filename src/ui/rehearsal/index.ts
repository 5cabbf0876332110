export { Clock } from './Clock';
export { Fire } from './Fire';
export { MOST_PEOPLE, nameOf, readWritten, secondsOf, someoneNew, type Written } from './happens';
export { PersonForm } from './PersonForm';
export { Story } from './Story';
export { Travellers } from './Travellers';
export { useRehearsal, type Sent } from './useRehearsal';
export { momentsOf, wayUntil } from './whereabouts';
