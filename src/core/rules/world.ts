import { COUNTRY_GROUPS, spellingsOf, type CountryGroup } from '../places';
import { currencyDigits } from '../money';
import { dayNumber, dayAt, type Instant } from '../time';

/** What one unit of a currency was worth in the store's, from a day on: in millionths, so that it is a whole number. */
export interface Rate {
  readonly currency: string;
  /** such as 2026-11-24 */
  readonly day: string;
  readonly micro: number;
}

/** What rules look up that is about nobody: the store's currency, what others were worth in it, and its groups of countries. */
export interface World {
  readonly currency: string;
  readonly rates: readonly Rate[];
  readonly groups: readonly CountryGroup[];
  /** whether openings and clicks are counted of those who have said nothing of it; they are where it is left out */
  readonly tracksUnasked?: boolean;
}

/** A world of which nothing is known. */
export const NO_WORLD: World = { currency: 'EUR', rates: [], groups: [] };

const sorted = new WeakMap<World, ReadonlyMap<string, readonly { day: number; micro: number }[]>>();
function ratesOf(world: World): ReadonlyMap<string, readonly { day: number; micro: number }[]> {
  let known = sorted.get(world);
  if (!known) {
    const by = new Map<string, { day: number; micro: number }[]>();
    for (const { currency, day, micro } of world.rates) {
      const number = dayNumber(day);
      if (number === null) continue;
      const own = by.get(currency);
      if (own) own.push({ day: number, micro });
      else by.set(currency, [{ day: number, micro }]);
    }
    for (const own of by.values()) own.sort((a, b) => a.day - b.day);
    sorted.set(world, (known = by));
  }
  return known;
}

/**
 * An amount in the store's currency, in minor units, at the last rate of its day or before (half a unit is rounded up); null
 * where none is known.
 */
export function inStoreCurrency(minor: number, currency: string, at: Instant, zone: string, world: World): number | null {
  if (currency === world.currency) return minor;
  const day = dayAt(at, zone);
  const rate = ratesOf(world)
    .get(currency)
    ?.findLast((one) => one.day <= day);
  if (!rate) return null;
  // in whole numbers: halves and thirds of a cent must not depend on who computes
  const [from, to] = [currencyDigits(currency) ?? 2, currencyDigits(world.currency) ?? 2];
  const up = BigInt(10) ** BigInt(to);
  const down = BigInt(1_000_000) * BigInt(10) ** BigInt(from);
  return Number((BigInt(minor) * BigInt(rate.micro) * up * BigInt(2) + down) / (down * BigInt(2)));
}

/** The countries of a group, one of ours or of the store's own; null where there is no such group. */
export const codesOf = (key: string, world: World): readonly string[] | null =>
  COUNTRY_GROUPS[key]?.codes ?? world.groups.find((group) => group.key === key)?.codes ?? null;

const expanded = new WeakMap<readonly string[], ReadonlySet<string>>();
/** All ways in which the countries of a list are named. */
export function namesOfCountries(codes: readonly string[]): ReadonlySet<string> {
  let known = expanded.get(codes);
  if (!known) expanded.set(codes, (known = new Set(codes.flatMap(spellingsOf))));
  return known;
}
