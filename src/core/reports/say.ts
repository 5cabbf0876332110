import { sayMoney } from '../money';
import type { FigureKind } from './report';

/** A figure beside what it was before, in minor units; shares from 0 to 1. */
interface Told {
  readonly kind: FigureKind;
  readonly now: number | null;
  readonly before: number | null;
}

/** A figure with its unit; a dash where there is nothing to take it of. */
export function sayFigure({ kind }: Pick<Told, 'kind'>, value: number | null, currency: string): string {
  if (value === null) return '–';
  if (kind === 'money') return sayMoney({ currency, minor: value });
  return kind === 'share' ? `${Math.round(value * 1000) / 10} %` : new Intl.NumberFormat('en-IE').format(value);
}

/** "12 % more than before": shares in points, since they are in per cent themselves. */
export function sayChange({ kind, now, before }: Told, when: string): string {
  if (now === null || before === null || (kind !== 'share' && before <= 0)) return `nothing in ${when}`;
  const change = kind === 'share' ? Math.round(1000 * (now - before)) / 10 : Math.round((1000 * (now - before)) / before) / 10;
  if (change === 0) return `as in ${when}`;
  return `${Math.abs(change)} ${kind === 'share' ? 'points' : '%'} ${change > 0 ? 'more' : 'less'} than in ${when}`;
}
