import betaln from '@stdlib/math-base-special-betaln';
import gammaln from '@stdlib/math-base-special-gammaln';

/** What is known of how somebody buys: repeat orders, when the last of them was and for how long they are seen, from their first order on. */
export interface Buyer {
  /** orders after the first */
  readonly repeats: number;
  /** from the first to the last order; 0 where there is one */
  readonly last: number;
  /** from the first order to now */
  readonly seen: number;
  /** how many people are like that */
  readonly people?: number;
}

/** How often people buy and how soon they stop: BG/NBD (Fader, Hardie & Lee 2005, Marketing Science 24:275–284). */
export interface BuyingModel {
  readonly r: number;
  readonly alpha: number;
  readonly a: number;
  readonly b: number;
}

const logSum = (x: number, y: number): number => {
  const top = Math.max(x, y);
  return top === Number.NEGATIVE_INFINITY ? top : top + Math.log(Math.exp(x - top) + Math.exp(y - top));
};

/** The log-likelihood of one person (equation 6 of the paper, as in the authors' spreadsheet note). */
export function logLikelihood({ r, alpha, a, b }: BuyingModel, { repeats: x, last, seen }: Buyer): number {
  const common = gammaln(r + x) - gammaln(r) + r * Math.log(alpha);
  const alive = betaln(a, b + x) - betaln(a, b) - (r + x) * Math.log(alpha + seen);
  const gone = x > 0 ? betaln(a + 1, b + x - 1) - betaln(a, b) - (r + x) * Math.log(alpha + last) : Number.NEGATIVE_INFINITY;
  return common + logSum(alive, gone);
}

/** How likely it is that somebody still buys (Fader, Hardie & Lee 2008, "Computing P(alive) using the BG/NBD model"). */
export function chanceActive({ r, alpha, a, b }: BuyingModel, { repeats: x, last, seen }: Buyer): number {
  if (x === 0) return 1;
  return 1 / (1 + (a / (b + x - 1)) * ((alpha + seen) / (alpha + last)) ** (r + x));
}

/** Gauss's hypergeometric series, for z below 1. */
function hypergeometric(a: number, b: number, c: number, z: number): number {
  let term = 1;
  let sum = 1;
  for (let n = 0; n < 10_000; n++) {
    term *= ((a + n) * (b + n) * z) / ((c + n) * (n + 1));
    sum += term;
    if (Math.abs(term) < 1e-13 * Math.abs(sum)) break;
  }
  return sum;
}

/** How many orders somebody is expected to make in the time to come (equation 10). */
export function expectedOrders(model: BuyingModel, buyer: Buyer, time: number): number {
  const { r, alpha, a, b } = model;
  const { repeats: x, last, seen } = buyer;
  const series = hypergeometric(r + x, b + x, a + b + x - 1, time / (alpha + seen + time));
  const made = ((a + b + x - 1) / (a - 1)) * (1 - ((alpha + seen) / (alpha + seen + time)) ** (r + x) * series);
  return made / (1 + (x > 0 ? (a / (b + x - 1)) * ((alpha + seen) / (alpha + last)) ** (r + x) : 0));
}

/**
 * How likely somebody orders at least once within so much time: they are active, and their rate, which then is gamma-distributed with
 * r + x and α + T, brings one (from the posterior of the same paper, appendix).
 */
export const chanceOfOrder = (model: BuyingModel, buyer: Buyer, time: number): number =>
  chanceActive(model, buyer) * (1 - ((model.alpha + buyer.seen) / (model.alpha + buyer.seen + time)) ** (model.r + buyer.repeats));

/** After how much time so many orders are expected of somebody; null where that is more than `most`. Found by halving. */
export function timeUntilExpected(model: BuyingModel, buyer: Buyer, orders: number, most: number): number | null {
  if (expectedOrders(model, buyer, most) < orders) return null;
  let [low, high] = [0, most];
  for (let n = 0; n < 20; n++) {
    const middle = (low + high) / 2;
    if (expectedOrders(model, buyer, middle) < orders) low = middle;
    else high = middle;
  }
  return high;
}

/** How many repeat orders anybody is expected to have made so long after the first (equation 9): what a fit is held against. */
export function expectedRepeats({ r, alpha, a, b }: BuyingModel, time: number): number {
  return ((a + b - 1) / (a - 1)) * (1 - (alpha / (alpha + time)) ** r * hypergeometric(r, b, a + b - 1, time / (alpha + time)));
}

/** What orders come to, of people who differ: gamma-gamma (Fader & Hardie 2013, "The Gamma-Gamma Model of Monetary Value"). */
export interface ValueModel {
  readonly p: number;
  readonly q: number;
  readonly gamma: number;
}

/** What somebody with so many orders of such a mean is expected to spend an order; with none, what anybody is. */
export const expectedValue = ({ p, q, gamma }: ValueModel, orders: number, mean: number): number =>
  (p * (gamma + orders * mean)) / (p * orders + q - 1);

/** The log-likelihood of a mean value over so many orders (equation 1a). */
export function valueLikelihood({ p, q, gamma }: ValueModel, orders: number, mean: number): number {
  return (
    gammaln(p * orders + q) -
    gammaln(p * orders) -
    gammaln(q) +
    q * Math.log(gamma) +
    (p * orders - 1) * Math.log(mean) +
    p * orders * Math.log(orders) -
    (p * orders + q) * Math.log(gamma + mean * orders)
  );
}

/** Where a function of several numbers is least, from a start on (Nelder & Mead 1965, with the usual steps 1, 2, ½, ½). */
export function leastOf(f: (x: readonly number[]) => number, start: readonly number[], { most = 2_000, within = 1e-9 } = {}): number[] {
  const value = (x: readonly number[]): number => {
    const y = f(x);
    return Number.isFinite(y) ? y : Number.POSITIVE_INFINITY;
  };
  let corners = [
    start,
    ...start.map((_, at) => start.map((one, n) => (n === at ? one + (one === 0 ? 0.25 : 0.25 * Math.abs(one) + 0.1) : one))),
  ].map((x) => ({
    x: [...x],
    y: value(x),
  }));
  for (let n = 0; n < most; n++) {
    corners.sort((one, two) => one.y - two.y);
    const [best, worst] = [corners[0]!, corners.at(-1)!];
    if (Math.abs(worst.y - best.y) <= within * (Math.abs(best.y) + within)) break;
    const others = corners.slice(0, -1);
    const middle = start.map((_, at) => others.reduce((sum, { x }) => sum + x[at]!, 0) / others.length);
    const at = (step: number) => {
      const x = middle.map((one, place) => one + step * (worst.x[place]! - one));
      return { x, y: value(x) };
    };
    const turned = at(-1);
    if (turned.y < best.y) {
      const further = at(-2);
      corners = [...others, further.y < turned.y ? further : turned];
    } else if (turned.y < others.at(-1)!.y) corners = [...others, turned];
    else {
      const nearer = at(turned.y < worst.y ? -0.5 : 0.5);
      if (nearer.y < Math.min(turned.y, worst.y)) corners = [...others, nearer];
      else
        corners = corners.map((corner, place) => {
          if (!place) return corner;
          const x = corner.x.map((one, m) => (one + best.x[m]!) / 2);
          return { x, y: value(x) };
        });
    }
  }
  return corners.sort((one, two) => one.y - two.y)[0]!.x;
}

/** Fits the model to how people have bought, by the greatest likelihood; null where nobody has bought again. */
export function fitBuying(buyers: readonly Buyer[]): BuyingModel | null {
  if (!buyers.some(({ repeats }) => repeats > 0)) return null;
  const of = ([r, alpha, a, b]: readonly number[]): BuyingModel => ({
    r: Math.exp(r!),
    alpha: Math.exp(alpha!),
    a: Math.exp(a!),
    b: Math.exp(b!),
  });
  const people = buyers.reduce((sum, one) => sum + (one.people ?? 1), 0);
  const miss = (x: readonly number[]) => {
    const model = of(x);
    // a little weight against parameters that run away where the numbers say nothing of them
    const held = x.reduce((sum, one) => sum + one * one, 0) * 1e-4;
    return -buyers.reduce((sum, one) => sum + (one.people ?? 1) * logLikelihood(model, one), 0) / people + held;
  };
  return of(leastOf(miss, [0, 1, 0, 1]));
}

/** Fits the model of values to people's orders: how many each has and what they come to on average. Null where there are fewer than two people. */
export function fitValue(spent: readonly { readonly orders: number; readonly mean: number }[]): ValueModel | null {
  const known = spent.filter(({ orders, mean }) => orders > 0 && mean > 0);
  if (known.length < 2) return null;
  const scale = known.reduce((sum, { mean }) => sum + mean, 0) / known.length;
  const of = ([p, q, gamma]: readonly number[]): ValueModel => ({ p: Math.exp(p!), q: 1 + Math.exp(q!), gamma: Math.exp(gamma!) });
  const miss = (x: readonly number[]) =>
    -known.reduce((sum, { orders, mean }) => sum + valueLikelihood(of(x), orders, mean / scale), 0) / known.length +
    x.reduce((sum, one) => sum + one * one, 0) * 1e-4;
  const { p, q, gamma } = of(leastOf(miss, [1, 1, 0]));
  return { p, q, gamma: gamma * scale };
}
