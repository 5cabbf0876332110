import type { Value } from '../rules';
import { textsOf, type Message } from './message';
import { personalise, type Personal } from './personalise';

const item = (n: number): Value => ({
  sku: `SKU-${n}`,
  name: `A product with quite a long name, number ${n}`,
  quantity: n,
  price: 19.99,
  url: 'https://shop.example/p',
  image: 'https://shop.example/p.png',
});
const LONG = 'word '.repeat(400).trim();

/** Every name that the texts of a message ask for, each with a value. */
function everything(message: Message, of: 'person' | 'event', value: (name: string) => Value): { [name: string]: Value } {
  const names = [...JSON.stringify(message).matchAll(new RegExp(`${of}\\.([\\p{L}_][\\p{L}\\p{N}_]*)`, 'gu'))].map((match) => match[1]!);
  return Object.fromEntries(names.map((name) => [name, value(name)]));
}

/** People for whom a message shows what it can cost to put together: nothing known, everything long, everything a long list, everything a great number. */
export function tellingPeople(message: Message): Personal[] {
  const store = { name: 'Store', address: 'Street 1' };
  const items = Array.from({ length: 300 }, (_, n) => item(n + 1));
  const with_ = (value: (name: string) => Value): Personal => ({
    person: everything(message, 'person', value),
    event: { ...everything(message, 'event', value), items, currency: 'EUR', value: 149 },
    store,
  });
  return [{ person: {}, event: {}, store }, with_(() => LONG), with_(() => items.map((_, n) => `entry ${n}`)), with_(() => 1_000_000)];
}

/** Why a message cannot be put together for somebody, or null: found by doing it for people who show it. */
export function renderProblem(message: Message): string | null {
  const texts = textsOf(message);
  for (const personal of tellingPeople(message)) {
    try {
      for (const text of texts) personalise(text, personal);
    } catch (error) {
      return (error as Error).message.split('\n')[0]!.replace(/, line:\d+, col:\d+$/, '');
    }
  }
  return null;
}
