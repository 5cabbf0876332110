import { CREDIT_MODELS, type CreditModel } from '@/core/revenue';
import type { StoreNow } from '@/data/store';
import { addDuration, DAY, parseInstant, startOfDate, type Instant } from '@/core/time';
import { Problem } from './problem';

export interface Period {
  readonly from: Instant;
  readonly to: Instant;
  readonly model: CreditModel;
}

/** Reads `from`, `to` and `model` of an address; without them, the last 30 days up to now. */
export function periodOf(url: URL, { now, zone, revenue }: Pick<StoreNow, 'now' | 'zone' | 'revenue'>): Period {
  const read = (name: 'from' | 'to', otherwise: Instant): Instant => {
    const text = url.searchParams.get(name);
    if (!text) return otherwise;
    // a bare date means that day of the store's zone: from its beginning, or to its end
    const day = startOfDate(text, zone);
    const at = day === null ? parseInstant(text) : name === 'from' ? day : addDuration(day, 'P1D', zone) - 1;
    if (at === null)
      throw new Problem(400, 'Not a time', `"${name}" is not a time.`, [
        { field: name, wrong: 'is not a time', right: '2026-11-24 or 2026-11-24T09:30:00Z' },
      ]);
    return at;
  };
  const to = read('to', now);
  const from = read('from', to - 30 * DAY);
  if (from > to)
    throw new Problem(400, 'Not a period', '"from" is after "to".', [
      { field: 'from', wrong: 'is after "to"', right: 'a time before "to"' },
    ]);
  const model = url.searchParams.get('model') ?? revenue.model;
  if (!(CREDIT_MODELS as readonly string[]).includes(model)) {
    throw new Problem(400, 'Not a model', `There is no credit model "${model.slice(0, 40)}".`, [
      { field: 'model', wrong: 'is not a credit model', right: CREDIT_MODELS.join(', ') },
    ]);
  }
  return { from, to, model: model as CreditModel };
}
