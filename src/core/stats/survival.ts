import { reachOf } from './proportions';

/** How long it took until something happened, or for how long it was seen not to have happened. In any unit of time. */
export interface Spell {
  readonly time: number;
  readonly happened: boolean;
  /** of how many this is so; one where it is left out */
  readonly many?: number;
}

/** The share of which it has not happened by a time, with its interval; it holds until the next step. */
export interface SurvivalStep {
  readonly time: number;
  readonly atRisk: number;
  readonly happened: number;
  readonly share: number;
  readonly low: number;
  readonly high: number;
}

/**
 * The survival curve by the product limit (Kaplan & Meier 1958), with Greenwood's variance and intervals by the log-log
 * transformation (Kalbfleisch & Prentice), which stay between 0 and 1. One step for each time at which something happened.
 */
export function survivalCurve(spells: readonly Spell[], leftOut = 0.05): SurvivalStep[] {
  const sorted = [...spells].sort((a, b) => a.time - b.time);
  const z = reachOf(leftOut);
  const steps: SurvivalStep[] = [];
  let share = 1;
  let greenwood = 0;
  let at = 0;
  let left = sorted.reduce((sum, { many = 1 }) => sum + many, 0);
  while (at < sorted.length) {
    const { time } = sorted[at]!;
    const atRisk = left;
    let happened = 0;
    for (; at < sorted.length && sorted[at]!.time === time; at++) {
      const { many = 1 } = sorted[at]!;
      left -= many;
      if (sorted[at]!.happened) happened += many;
    }
    if (!happened) continue;
    share *= 1 - happened / atRisk;
    if (atRisk > happened) greenwood += happened / (atRisk * (atRisk - happened));
    steps.push({ time, atRisk, happened, share, ...between(share, greenwood, z) });
  }
  return steps;
}

function between(share: number, greenwood: number, z: number): { low: number; high: number } {
  if (share <= 0) return { low: 0, high: 0 };
  const spread = (z * Math.sqrt(greenwood)) / Math.log(share);
  return { low: share ** Math.exp(-spread), high: share ** Math.exp(spread) };
}

/** The share of which it has not happened by a time. */
export const survivalAt = (curve: readonly SurvivalStep[], time: number): number => curve.findLast((step) => step.time <= time)?.share ?? 1;

/** By which time it has happened to so many: the first at which no more than the rest are left; null where that was not reached. */
export const timeUntil = (curve: readonly SurvivalStep[], share: number): number | null =>
  curve.find((step) => step.share <= 1 - share + 1e-12)?.time ?? null;

/** The share to which it has happened by a step of a curve, with its interval; none before the first. */
export const happenedBy = (
  step: Pick<SurvivalStep, 'share' | 'low' | 'high'> | undefined,
): { share: number; low: number; high: number } => ({
  share: 1 - (step?.share ?? 1),
  low: 1 - (step?.high ?? 1),
  high: 1 - (step?.low ?? 1),
});

/** The share to which it has happened before so much time was over. */
export const happenedWithin = (curve: readonly SurvivalStep[], time: number) => happenedBy(curve.findLast((step) => step.time < time));
