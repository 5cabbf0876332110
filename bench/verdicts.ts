import { FEWEST, FEWEST_BUYERS } from '../src/core/revenue';
import { plannedLift, simulateMoney, simulateShares } from '../src/core/stats/testing/simulations';

/** How often verdicts on tests are wrong, and how often they find a difference: simulated, against one look at the end. */
const TESTS = 1_000;
const percent = (share: number): string => `${(100 * share).toFixed(1)}%`;
const isEnough = (people: number, buyers: number) => people >= FEWEST && buyers >= FEWEST_BUYERS;

for (const part of [0.5, 0.2, 0.1, 0.05]) {
  const wrong = [0.005, 0.02, 0.1, 0.3].map((rate) => percent(simulateShares(TESTS, { part, rate }).always));
  console.log(`verdicts, ${percent(part)} in one group: false at rates of 0.5, 2, 10 and 30%: ${wrong.join(', ')}`);
}
for (const part of [0.5, 0.2, 0.1, 0.05]) {
  const power = [0.02, 0.1, 0.3].map((rate) => {
    const { always, once } = simulateShares(TESTS, { part, rate, lift: plannedLift(part, rate) });
    return `${percent(always)} of ${percent(once)}, ratio ${(always / once).toFixed(2)}`;
  });
  console.log(`verdicts, ${percent(part)} in one group: found of one look at 2, 10 and 30%: ${power.join('; ')}`);
}
for (const part of [0.95, 0.5, 0.1, 0.05]) {
  const wrong = [
    { rate: 0.1, spread: 1 },
    { rate: 0.3, spread: 1.5 },
  ].map((money) => percent(simulateMoney(TESTS, { part, ...money }, isEnough)));
  console.log(`verdicts on revenue, ${percent(part)} in one group: false where 10% buy with σ 1, 30% with σ 1.5: ${wrong.join(', ')}`);
}
