import type { Instant } from '../time';

/**
 * Order ownership. An order id of a source is one order, owned by one person at a time: the person named by the latest
 * `order.placed` (by time, then by event id), so the order in which events arrive makes no difference. A refund or
 * cancellation goes to its order first, and only without one to the person it names. An id that another source uses is
 * another order.
 */

/** An event about an order, as far as it decides on ownership. */
export interface OrderMention {
  readonly orderId: string;
  readonly type: string;
  readonly source: string;
  readonly time: Instant;
  readonly eventId: string;
}

/** A stored event about an order, with the person who has it. */
export interface OrderHolder extends OrderMention {
  readonly personId: string;
}

/** Moves the events of an order from one person to another. */
export interface OrderMove {
  readonly orderId: string;
  readonly source: string;
  readonly from: string;
  readonly to: string;
}

/** The owner of each event of a batch, by its index, and the stored events that change hands. */
export interface OrdersAssigned {
  readonly owners: ReadonlyMap<number, string>;
  readonly moves: readonly OrderMove[];
}

/** An order as one source sent it, with its owner. */
interface Holding {
  personId: string;
  source: string;
  /** the latest `order.placed`; null while only refunds or cancellations are known */
  placed: Pick<OrderMention, 'time' | 'eventId'> | null;
  /** events of the batch that go to this order, by index */
  readonly events: number[];
}

type Placed = NonNullable<Holding['placed']>;

const isPlaced = ({ type }: OrderMention): boolean => type === 'order.placed';

const isLater = (a: Placed, b: Holding['placed']): boolean => b === null || a.time > b.time || (a.time === b.time && a.eventId > b.eventId);

/** The holdings of each order id: one per source that placed it, or one for refunds that came before any order. */
class Holdings {
  private readonly byId = new Map<string, Holding[]>();

  constructor(stored: readonly OrderHolder[], current: (personId: string) => string) {
    for (const one of stored.filter(isPlaced)) this.place(one, current(one.personId));
    for (const one of stored.filter((event) => !isPlaced(event)))
      if (!this.of(one.orderId).length) this.open(one, current(one.personId), null);
  }

  of(orderId: string): readonly Holding[] {
    return this.byId.get(orderId) ?? [];
  }

  all(): Holding[] {
    return [...this.byId.values()].flat();
  }

  open({ orderId, source }: OrderMention, personId: string, placed: Holding['placed']): Holding {
    const holding: Holding = { personId, source, placed, events: [] };
    this.byId.set(orderId, [...this.of(orderId), holding]);
    return holding;
  }

  /** Takes an `order.placed` in: the holding it belongs to, and who had that before if the event changes its owner. */
  place(event: OrderMention, personId: string): { holding: Holding; before: string | null } {
    const { time, eventId, source } = event;
    const placed = { time, eventId };
    const known = this.of(event.orderId).find((one) => one.source === source || one.placed === null);
    if (!known) return { holding: this.open(event, personId, placed), before: null };
    if (!isLater(placed, known.placed)) return { holding: known, before: null };
    const before = known.personId === personId ? null : known.personId;
    Object.assign(known, { personId, source, placed });
    return { holding: known, before };
  }

  /** Finds the holding that a refund or cancellation goes to: its source's, else the named person's, else the latest. */
  findFor({ orderId, source }: OrderMention, personId: string | null): Holding | undefined {
    const own = this.of(orderId);
    return (
      own.find((one) => one.placed !== null && one.source === source) ??
      own.find((one) => one.personId === personId) ??
      own.toSorted((a, b) => (b.placed?.time ?? -Infinity) - (a.placed?.time ?? -Infinity))[0]
    );
  }
}

/**
 * Assigns the order events of a batch to their owners.
 * @param events the events of the batch, null where one isn't about an order
 * @param named the person that each event names, null where it names nobody
 * @param stored the events about these orders that are stored already
 * @param current who a person is by now: two people who are merged in this batch are one
 */
export function assignOrders(
  events: readonly (OrderMention | null)[],
  named: readonly (string | null)[],
  stored: readonly OrderHolder[],
  current: (personId: string) => string,
): OrdersAssigned {
  const holdings = new Holdings(stored, current);
  const moves: OrderMove[] = [];
  events.forEach((event, index) => {
    const person = named[index] ?? null;
    if (!event || !isPlaced(event) || person === null) return;
    const { holding, before } = holdings.place(event, person);
    holding.events.push(index);
    if (before !== null) moves.push({ orderId: event.orderId, source: event.source, from: before, to: person });
  });

  // refunds and cancellations, once it is known which orders there are
  events.forEach((event, index) => {
    if (!event || isPlaced(event)) return;
    const person = named[index] ?? null;
    const holding = holdings.findFor(event, person) ?? (person === null ? undefined : holdings.open(event, person, null));
    holding?.events.push(index);
  });

  const owners = new Map<number, string>();
  for (const { personId, events: own } of holdings.all()) for (const index of own) owners.set(index, personId);
  return { owners, moves };
}
