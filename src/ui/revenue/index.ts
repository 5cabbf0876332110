export { DayChart } from './DayChart';
export { RevenueScreen } from './RevenueScreen';
export { CartsScreen } from './CartsScreen';
export { LiftScreen } from './LiftScreen';
export { TestsScreen } from './TestsScreen';
export { PeopleScreen } from './PeopleScreen';
