/** A list whose least is at hand however long it is: a binary heap. */
export class Heap<T> {
  private readonly items: T[] = [];

  constructor(private readonly isBefore: (a: T, b: T) => boolean) {}

  get first(): T | undefined {
    return this.items[0];
  }

  push(item: T): void {
    const { items } = this;
    let at = items.length;
    items.push(item);
    while (at > 0) {
      const parent = (at - 1) >> 1;
      if (!this.isBefore(item, items[parent]!)) break;
      items[at] = items[parent]!;
      at = parent;
    }
    items[at] = item;
  }

  pop(): T | undefined {
    const { items } = this;
    const least = items[0];
    const last = items.pop();
    if (last === undefined || items.length === 0) return least;
    let at = 0;
    for (;;) {
      let child = 2 * at + 1;
      if (child >= items.length) break;
      if (child + 1 < items.length && this.isBefore(items[child + 1]!, items[child]!)) child += 1;
      if (!this.isBefore(items[child]!, last)) break;
      items[at] = items[child]!;
      at = child;
    }
    items[at] = last;
    return least;
  }
}
