import { codeHeld, stepsOf } from '../core/flows';
import { CODE_LETTERS, codeOf, prefixOf } from '../core/offers';
import { DAY, HOUR, localDate, MINUTE, SECOND, startOfDay, type Instant } from '../core/time';
import { inOrder, NO_REACH, type FactChange, type FactEvent, type KnownFacts, type Value } from '../core/rules';
import { replayPerson, type Reaction, type ReplayFlow, type Replayed, type ReplayedSend } from '../core/replay';
import catalogue from '../../quillfin/catalogue.json';
import { chanceOf, type Chance } from './chance';

export const HISTORY_DAYS = 180;

export interface DemoPerson {
  readonly id: string;
  readonly externalId: string;
  readonly attributes: Record<string, Value>;
  readonly consent: 'given' | 'withdrawn' | null;
  readonly createdAt: Instant;
}

export interface DemoHistory {
  readonly person: DemoPerson;
  readonly replayed: Replayed;
}

const FIRST = (
  'Ada Ben Carla Dirk Elin Femke Goran Hanna Ivo Jana Kees Lotte Milan Nora Olaf Petra Quirin Rosa Sven Tilda Udo Vera Wim Xenia Yara ' +
  'Zeno Anouk Bram Cléa Daan Esra Finn Greta Hugo Ines Joost Katya Lars Mira Niels Oona Pieter Renske Silas Thea Ulla Vito Wanda ' +
  'Yannick Zoë'
).split(' ');
const LAST = (
  'Aalders Brinkmann Castel Dorn Ekholm Faber Geerts Hollander Ilves Jansma Kessel Lindqvist Moreau Noordhof Okkerse Peeters Quist ' +
  'Reinders Sterk Talsma Uhlig Verbeek Wester Ysebaert Zandstra Achterberg Bellweg Corver Duindam Engelhart'
).split(' ');
/** Dirty as real data: the same country in several spellings. */
const COUNTRIES: readonly (readonly [string, number])[] = [
  ['NL', 46],
  ['Netherlands', 4],
  ['DE', 18],
  ['Germany', 2],
  ['BE', 12],
  ['FR', 8],
  ['AT', 3],
  ['DK', 3],
  ['IE', 2],
];
const ZONES: Record<string, string> = {
  NL: 'Europe/Amsterdam',
  Netherlands: 'Europe/Amsterdam',
  DE: 'Europe/Berlin',
  Germany: 'Europe/Berlin',
  BE: 'Europe/Brussels',
  FR: 'Europe/Paris',
  AT: 'Europe/Vienna',
  DK: 'Europe/Copenhagen',
  IE: 'Europe/Dublin',
};
/** Shares of visits by day of the week from Monday, and by hour of the day. */
const WEEK = [0.9, 0.85, 0.85, 0.95, 1, 1.35, 1.6];
const HOURS: readonly (readonly [number, number])[] = [
  [7, 2],
  [8, 4],
  [9, 4],
  [10, 5],
  [11, 5],
  [12, 7],
  [13, 6],
  [14, 5],
  [15, 5],
  [16, 6],
  [17, 7],
  [18, 8],
  [19, 11],
  [20, 13],
  [21, 11],
  [22, 6],
  [23, 2],
];

const products = catalogue.products;
const supplies = products.filter((product) => product.price < 40);
const tanks = products.filter((product) => product.kind === 'tanks');

/** Countries whose invented postcodes are on file. */
const POSTED = new Set(['NL', 'DE', 'BE', 'FR']);
/** A day from 1950 to 2005. */
const birthdayOf = (index: number): string => new Date(Date.UTC(1950, 0, 1) + ((index * 7919) % 20_000) * DAY).toISOString().slice(0, 10);

/** Makes up a person. */
export function makePerson(index: number, id: string, start: Instant, end: Instant, chance: Chance): DemoPerson {
  const firstName = chance.pick(FIRST);
  const lastName = chance.pick(LAST);
  const country = chance.weighted(COUNTRIES);
  const plain = (text: string) =>
    text
      .normalize('NFD')
      .replace(/[^a-zA-Z]/g, '')
      .toLowerCase();
  return {
    id,
    externalId: `qf-${100_000 + index}`,
    attributes: {
      email: `${plain(firstName)}.${plain(lastName)}.${index}@example.${chance.is(0.7) ? 'com' : 'org'}`,
      // a quarter of first names are missing, as in most shops
      ...(chance.is(0.75) && { firstName, lastName }),
      country,
      zone: ZONES[country]!,
      // invented postcodes, of which quillfin/places.csv knows where they lie
      ...(index % 5 !== 0 && POSTED.has(country) && { postcode: `Q${101 + ((index * 7) % 30)}` }),
      ...(index % 2 === 0 && { birthday: birthdayOf(index) }),
      // numbers that Ofcom keeps free for stories: 07700 900000 to 900999
      ...(index % 3 === 0 && index < 3000 && { phone: `+447700900${String(index / 3).padStart(3, '0')}` }),
    },
    consent: chance.weighted([
      ['given', 66],
      [null, 27],
      ['withdrawn', 7],
    ] as const),
    // two in five were on file when the history begins
    createdAt: Math.round(chance.is(0.4) ? start - chance.next() * 400 * DAY : start + chance.next() * (end - start)),
  };
}

interface Item {
  sku: string;
  name: string;
  quantity: number;
  price: number;
  category: string;
  url: string;
  image: string;
}
const valueOf = (items: readonly Item[]) => Math.round(items.reduce((sum, item) => sum + item.price * item.quantity, 0) * 100) / 100;

/** What the people of Quillfin did over the history: visits, products viewed, carts, orders, cancellations. */
export function makeVisits(
  person: DemoPerson,
  start: Instant,
  end: Instant,
  zone: string,
  baseUrl: string,
  nextId: () => string,
  chance: Chance,
  own: Chance,
): FactEvent[] {
  const events: FactEvent[] = [];
  const add = (type: string, time: Instant, properties: Record<string, Value>) => {
    if (time <= end) events.push({ id: nextId(), type, time: Math.round(time), properties });
  };
  const eagerness = chance.wait(2.6);
  const from = Math.max(start, person.createdAt);
  const visits = Math.min(40, Math.round(eagerness * ((end - from) / (HISTORY_DAYS * DAY)) + chance.next()));
  let hasTank = chance.is(0.5);
  for (let visit = 0; visit < visits; visit++) {
    let day = from;
    for (let attempt = 0; attempt < 8; attempt++) {
      day = from + chance.next() * (end - from);
      if (chance.next() * 1.6 < WEEK[(new Date(day).getUTCDay() + 6) % 7]!) break;
    }
    let at = startOfDay(Math.round(day), zone) + chance.weighted(HOURS) * HOUR + chance.next() * HOUR;
    if (at < from || at > end) continue;
    const pool = !hasTank && chance.is(0.5) ? tanks : chance.is(0.15) ? products : supplies;
    const looked = Array.from({ length: 1 + chance.below(4) }, () => chance.pick(pool));
    for (const product of looked) {
      add('product.viewed', at, {
        sku: product.sku,
        name: product.name,
        price: product.price,
        url: `${baseUrl}/outside/shop/p/${product.sku}`,
      });
      at += chance.wait(2 * MINUTE) + 5 * SECOND;
    }
    if (!chance.is(0.42)) {
      // some who look and go come back by themselves in the days after, and buy
      if (own.is(0.06)) comesBack(add, `cart-${person.externalId}-${visit}`, [itemOf(own.pick(supplies), baseUrl, own)], at, own);
      continue;
    }
    const wanted = [...new Set(looked)].slice(0, 1 + chance.below(3));
    const items: Item[] = [];
    const cartId = `cart-${person.externalId}-${visit}`;
    for (const product of wanted) {
      items.push(itemOf(product, baseUrl, chance));
      add('cart.updated', at, {
        cartId,
        currency: 'EUR',
        value: valueOf(items),
        items: items.map((item) => ({ ...item })),
        checkoutUrl: `${baseUrl}/outside/shop/cart/${cartId}`,
      });
      at += chance.wait(3 * MINUTE) + 10 * SECOND;
    }
    // about two carts in three are left behind (common practice: around 70 of 100)
    if (!chance.is(valueOf(items) > 100 ? 0.28 : 0.36)) {
      if (own.is(valueOf(items) > 100 ? 0.04 : 0.1)) comesBack(add, cartId, items, at, own);
      continue;
    }
    order(add, cartId, items, at, null, chance);
    buysAgain(add, cartId, items, at, own);
    hasTank ||= pool === tanks;
  }
  return events;
}

type Add = (type: string, time: Instant, properties: Record<string, Value>) => void;
type Product = (typeof products)[number];

const itemOf = (product: Product, baseUrl: string, chance: Chance): Item => ({
  sku: product.sku,
  name: product.name,
  quantity: product.price < 15 ? 1 + chance.below(3) : 1,
  price: product.price,
  category: product.kind,
  url: `${baseUrl}/outside/shop/p/${product.sku}`,
  image: `${baseUrl}/outside/shop/pictures/${product.sku}.svg`,
});

/** Somebody buys what they had left, and would have whether they were written to or not. */
function comesBack(add: Add, cartId: string, items: readonly Item[], left: Instant, chance: Chance): void {
  order(add, cartId, items, left + 14 * HOUR + chance.wait(20 * HOUR), null, chance);
}
/** What is used up, and so is bought again. */
const USED_UP = new Set(['food', 'water tests', 'water care']);
const LASTS = 28 * DAY;
/** Of what is used up, some is bought again by itself once it is: a third each time, after four weeks and some. */
function buysAgain(add: Add, cartId: string, items: readonly Item[], at: Instant, chance: Chance): void {
  for (const item of items) {
    if (!USED_UP.has(item.category)) continue;
    let again = at;
    for (let time = 2; time < 6 && chance.is(0.34); time++) {
      again += LASTS + chance.wait(14 * DAY);
      order(add, `${cartId}-${item.sku}-${time}`, [item], again, null, chance);
    }
  }
}
/** Up to such a price something is bought without thinking it over again, in euros. */
const AT_ONCE = 200;
/** For so long before they buy, whoever would have anyway is glad of a message. */
const MINDED_FOR = 3 * DAY;

function order(add: Add, cartId: string, items: readonly Item[], at: Instant, code: string | null, chance: Chance): void {
  const orderId = `QF-${cartId.slice(5)}`;
  const full = valueOf(items);
  // ten per cent, where it has a code
  const discount = code === null ? 0 : Math.round(full * 10) / 100;
  const value = Math.round((full - discount) * 100) / 100;
  add('order.placed', at, {
    orderId,
    cartId,
    currency: 'EUR',
    value,
    discount,
    items: items.map((item) => ({ ...item })),
    ...(code !== null && { codes: [code] }),
  });
  if (chance.is(0.03)) add('order.cancelled', at + chance.wait(10 * HOUR) + MINUTE, { orderId });
  else if (chance.is(0.025)) add('order.refunded', at + 4 * DAY + chance.wait(3 * DAY), { orderId, value: Math.round(value * 50) / 100 });
}

/** How many codes of six letters there are. */
const CODES = CODE_LETTERS.length ** 6;
/** The code that a run of the history was issued: another for each run, since the factor and the number of codes have no divisor in common. */
export function codeOfRun(runId: string, firstName: Value | undefined): string {
  let rest = Number((BigInt(runId) * 516_729_601n) % BigInt(CODES));
  return codeOf(prefixOf(typeof firstName === 'string' ? firstName : 'FIN'), 6, (below) => {
    const drawn = rest % below;
    rest = Math.floor(rest / below);
    return drawn;
  });
}

/** What keepers do in Tanklog, the app: an account, the first tank, the first test, a reminder, a trial and what becomes of it. */
export function makeKeeping(
  person: DemoPerson,
  start: Instant,
  end: Instant,
  zone: string,
  nextId: () => string,
  chance: Chance,
): FactEvent[] {
  const events: FactEvent[] = [];
  const add: Add = (type, time, properties) => {
    if (time <= end) events.push({ id: nextId(), type, time: Math.round(time), properties });
  };
  if (!chance.is(0.28)) return events;
  const opened = Math.max(start, person.createdAt) + chance.next() * (end - Math.max(start, person.createdAt));
  add('account.created', opened, { app: 'Tanklog' });
  let at = opened + MINUTE + chance.wait(14 * HOUR);
  if (!chance.is(0.72)) return events;
  add('app.tank_added', at, { litres: chance.pick([30, 60, 112, 180, 240]) });
  at += chance.wait(2.5 * DAY);
  if (chance.is(0.66)) {
    add('app.water_tested', at, { ammonia: chance.below(3) / 10, nitrite: chance.below(5) / 10 });
    at += chance.wait(3 * DAY);
    if (chance.is(0.5)) add('app.reminder_set', at, { weekday: 'Sunday' });
  }
  if (!chance.is(0.4)) return events;
  const tried = opened + chance.wait(4 * DAY);
  add('app.trial_started', tried, { trialEnds: localDate(Math.round(tried + 14 * DAY), zone) });
  if (chance.is(0.22)) add('app.subscribed', tried + 2 * DAY + chance.wait(8 * DAY), { plan: 'Tanklog Plus' });
  return events;
}

/** The way of parcels: each order that is not cancelled leaves a day or two later, and arrives after two or three more, later abroad. */
function makeParcels(events: readonly FactEvent[], person: DemoPerson, end: Instant, nextId: () => string, chance: Chance): FactEvent[] {
  const cancelled = new Set(events.flatMap((event) => (event.type === 'order.cancelled' ? [event.properties.orderId] : [])));
  return events.flatMap((event): FactEvent[] => {
    const { orderId } = event.properties;
    if (event.type !== 'order.placed' || orderId === undefined || cancelled.has(orderId)) return [];
    const left = Math.round(event.time + 18 * HOUR + chance.next() * DAY);
    const there = Math.round(left + (person.attributes.zone === 'Europe/Amsterdam' ? 1.2 : 3.5) * DAY + chance.next() * 2 * DAY);
    return [
      ...(left <= end ? [{ id: nextId(), type: 'order.shipped', time: left, properties: { orderId } }] : []),
      ...(there <= end && chance.is(0.97) ? [{ id: nextId(), type: 'order.delivered', time: there, properties: { orderId } }] : []),
    ];
  });
}

/** How likely somebody who has opened clicks: more on what is about a thing they want. */
const clicksOn = (flow: string, step: string): number =>
  step === 'big-cart' || flow === 'looked-not-bought' ? 0.34 : isBroadcast(step) ? 0.13 : 0.26;
/** Steps of broadcasts, by the ids that these give them. */
const isBroadcast = (step: string): boolean => /^(message(-\d+)?|again)$/.test(step);
/** How likely a message is opened by whoever does not buy anyway: one that asks a question more than others. */
const opensOf = (step: string): number => (step === 'message-2' ? 0.52 : step === 'message' ? 0.38 : step === 'again' ? 0.24 : 0.44);

/** How likely somebody who has clicked buys something then: reminded of what they looked at, they do; thanked for an order, hardly. */
function buysAfter(flow: string, step: string): number {
  if (flow === 'looked-not-bought') return step === 'plain' ? 0.32 : 0.66;
  return flow === 'first-order' ? 0.03 : isBroadcast(step) ? 0.06 : 0.14;
}

/**
 * What people do when they get a message: nothing, mostly; open it, click, come back and buy, or leave for good. Who is about to buy
 * anyway reads and clicks more than others, and buys no more by it: such an order is credited, and not caused.
 * @param visits what they do of themselves
 * @param linksOf where a message leads, beside a cart
 */
export function reactionOf(
  nextId: () => string,
  chance: Chance,
  visits: readonly FactEvent[],
  linksOf: (flow: string, step: string) => readonly string[] = () => [],
): Reaction {
  const placed = visits.filter((event) => event.type === 'order.placed');
  return (send: ReplayedSend, facts) => {
    const events: FactEvent[] = [];
    const leaves = (at: Instant, changes: readonly Omit<FactChange, 'at'>[]) => ({
      events,
      changes: changes.map((change) => ({ ...change, at: Math.round(at) })),
    });
    const suppressed = (reason: string) => ({ kind: 'suppression' as const, name: 'email', was: null, is: reason });
    const add: Add = (type, time, properties) => events.push({ id: nextId(), type, time: Math.round(time), properties });
    const sendId = send.id;
    const about = { sendId, flow: send.flowKey, step: send.effect.stepId, channel: 'email' };
    const on = chance.is(0.62) ? { device: 'phone' } : { device: 'computer' };
    if (chance.is(0.008)) {
      add('message.bounced', send.at + 3 * SECOND, { ...about, reason: 'mailbox does not exist' });
      return leaves(send.at + 3 * SECOND, [suppressed('bounced')]);
    }
    add('message.delivered', send.at + 2 * SECOND + chance.wait(4 * SECOND), about);
    const buysAnyway = placed.some((event) => event.time > send.at && event.time < send.at + MINDED_FOR);
    if (!chance.is(buysAnyway ? 0.8 : opensOf(send.effect.stepId))) return { events };
    const opened = send.at + MINUTE + chance.wait(3 * HOUR);
    add('message.opened', opened, { ...about, ...on });
    if (chance.is(0.006)) {
      add('message.unsubscribed', opened + 20 * SECOND, about);
      return leaves(opened + 20 * SECOND, [{ kind: 'consent', name: 'email', was: 'given', is: 'withdrawn' }, suppressed('unsubscribed')]);
    }
    if (!chance.is(buysAnyway ? 0.6 : clicksOn(send.flowKey, send.effect.stepId))) return { events };
    const clicked = opened + 15 * SECOND + chance.wait(2 * MINUTE);
    const { data } = send.run.about;
    add('message.clicked', clicked, {
      ...about,
      ...on,
      url: typeof data.checkoutUrl === 'string' ? data.checkoutUrl : linkOf(linksOf(send.flowKey, send.effect.stepId), sendId),
    });
    if (buysAnyway) return { events };
    if (typeof data.cartId === 'string' && data.orderId === undefined) {
      const items = data.items as unknown as Item[];
      if (chance.is(send.effect.stepId === 'big-cart' ? 0.55 : 0.5))
        order(
          add,
          String(data.cartId),
          items,
          clicked + 2 * MINUTE + chance.wait(20 * MINUTE),
          send.effect.stepId === 'big-cart' && codeHeld(send.run.answers) && valueOf(items) >= 100
            ? codeOfRun(send.run.id, facts.attributes.firstName)
            : null,
          chance,
        );
    } else if (chance.is(buysAfter(send.flowKey, send.effect.stepId))) {
      // what they looked at, where it is not too dear to be bought at once
      const looked = products.find(({ sku, price }) => sku === data.sku && price < AT_ONCE);
      const bought = [...(looked ? [looked] : []), chance.pick(supplies)].map((product) => ({
        ...itemOf(product, '', chance),
        url: '',
        image: '',
      }));
      order(add, `cart-${send.id}-${sendId}`, bought, clicked + 10 * MINUTE, null, chance);
    }
    return { events };
  };
}

/** Where the buttons of each message lead, by flow and step; those that lead somewhere else for everybody are left out. */
function linksIn(flows: readonly ReplayFlow[]): (flow: string, step: string) => readonly string[] {
  const found = new Map<string, readonly string[]>();
  for (const { key, document } of flows)
    for (const step of stepsOf(document))
      if (step.kind === 'send' && step.message.channel === 'email')
        found.set(
          `${key} ${step.id}`,
          step.message.blocks.flatMap((block) => (block.kind === 'button' && !block.url.includes('{{') ? [block.url] : [])),
        );
  return (flow, step) => found.get(`${flow} ${step}`) ?? [];
}

/** The first of some links mostly; the others now and then, by the number of the message. */
const linkOf = (links: readonly string[], sendId: string): string =>
  links.length ? links[Number(sendId) % 3 === 0 ? Number(sendId) % links.length : 0]! : '';

/**
 * Quillfin's history up to `end`, person by person: made from one seed, and run through the engine, so that entries,
 * traces, sends and everything after them are what its rules really decide.
 */
export function* makeHistory(options: {
  people: number;
  end: Instant;
  zone: string;
  baseUrl: string;
  flows: readonly ReplayFlow[];
  seed?: number;
}): Generator<DemoHistory> {
  const { end, zone, baseUrl, flows } = options;
  const chance = chanceOf(options.seed ?? 20_260_401);
  const start = startOfDay(end - HISTORY_DAYS * DAY, zone);
  const linksOf = linksIn(flows);
  let counter = 0;
  const nextId = () => String(++counter);
  for (let index = 0; index < options.people; index++) {
    const person = makePerson(index, nextId(), start, end, chance);
    const own = chanceOf(index * 7919 + 13);
    const visits = makeVisits(person, start, end, zone, baseUrl, nextId, chance, own);
    const events = [
      ...visits,
      ...makeParcels(visits, person, end, nextId, own),
      ...makeKeeping(person, start, end, zone, nextId, own),
    ].sort(inOrder);
    const known: KnownFacts = {
      attributes: person.attributes,
      lists: [],
      tags: [],
      segments: [],
      since: {},
      changes: [],
      places: {},
      declined: [],
      reach: {
        email: { ...NO_REACH, hasAddress: true, state: person.consent ?? 'unknown' },
        sms: { ...NO_REACH, hasAddress: typeof person.attributes.phone === 'string' },
        push: NO_REACH,
      },
    };
    // of their own, so that who they are does not hang on what flows send
    const reaction = reactionOf(nextId, chanceOf(index * 104_729 + 7), visits, linksOf);
    yield { person, replayed: replayPerson(flows, { id: person.id, known, changes: [] }, events, end, nextId, reaction) };
  }
}
