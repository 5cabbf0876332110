export { CardButton, CardLine, cardColumn, useCards, type Cards } from './Cards';
