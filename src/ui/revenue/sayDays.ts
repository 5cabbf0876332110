import { plural } from '../kit';

/** How long something takes at the present rate: by the day, or that it takes years. */
export const sayDays = (days: number): string =>
  days > 730 ? 'more than two years at the present rate' : `${plural(days, 'day', 'days')} at the present rate`;
