import type { Block, Leaf } from './block';

/** Where a new part is put: after a block, or at the beginning of the letter or of a column. */
export type Spot = { readonly after: string } | { readonly first: string | null };

/** A block without what it asks of the message it came from. */
export const withoutConditions = (block: Block): Block => {
  const { only: _, unless: __, ...rest } = block;
  return rest as Block;
};

/** Columns do not stand in columns. */
export function withoutColumns(blocks: Block[], spot: Spot, all: readonly Block[]): Block[] {
  const isInner = 'after' in spot ? !all.some(({ id }) => id === spot.after) : spot.first !== null;
  return isInner ? blocks.filter(({ kind }) => kind !== 'columns') : blocks;
}

/** Blocks with some put in at a spot, in the letter or in a column. */
export function insertBlocks(blocks: readonly Block[], spot: Spot, added: readonly Block[]): Block[] {
  const into = <B extends Block>(list: readonly B[], more: readonly B[]): B[] => {
    if (!('after' in spot)) return [...more, ...list];
    const at = list.findIndex(({ id }) => id === spot.after);
    return at < 0 ? [...list] : [...list.slice(0, at + 1), ...more, ...list.slice(at + 1)];
  };
  if ('first' in spot ? spot.first === null : blocks.some(({ id }) => id === spot.after)) return into(blocks, added);
  const leaves = added.filter((one): one is Leaf => one.kind !== 'columns');
  return blocks.map((block) =>
    block.kind !== 'columns'
      ? block
      : {
          ...block,
          columns: block.columns.map((column) =>
            ('first' in spot ? column.id === spot.first : column.blocks.some(({ id }) => id === spot.after))
              ? { ...column, blocks: into(column.blocks, leaves) }
              : column,
          ),
        },
  );
}

/** Blocks with one of them a place further up or down among its own. */
export function movedBlock(blocks: readonly Block[], id: string, by: -1 | 1): Block[] {
  const swap = <B extends Block>(list: readonly B[]): B[] => {
    const at = list.findIndex((one) => one.id === id);
    const to = at + by;
    if (at < 0 || to < 0 || to >= list.length) return [...list];
    const next = [...list];
    [next[at], next[to]] = [next[to]!, next[at]!];
    return next;
  };
  return swap(blocks).map((block) =>
    block.kind === 'columns' ? { ...block, columns: block.columns.map((column) => ({ ...column, blocks: swap(column.blocks) })) } : block,
  );
}

/** Blocks with one of them where another stands, among the same. */
export function movedTo(blocks: readonly Block[], id: string, over: string): Block[] {
  const put = <B extends Block>(list: readonly B[]): B[] => {
    const [from, to] = [list.findIndex((one) => one.id === id), list.findIndex((one) => one.id === over)];
    if (from < 0 || to < 0) return [...list];
    const next = [...list];
    const [block] = next.splice(from, 1);
    next.splice(to, 0, block!);
    return next;
  };
  return put(blocks).map((block) =>
    block.kind === 'columns' ? { ...block, columns: block.columns.map((column) => ({ ...column, blocks: put(column.blocks) })) } : block,
  );
}
