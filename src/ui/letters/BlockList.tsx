'use client';

import { closestCenter, DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors } from '@dnd-kit/core';
import { SortableContext, sortableKeyboardCoordinates, useSortable, verticalListSortingStrategy } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import type { Editor } from '@tiptap/react';
import { clsx } from 'clsx';
import { GripVertical, MoreVertical, Settings2 } from 'lucide-react';
import { Popover } from 'radix-ui';
import type { Block, Column, Spot } from '@/core/messages';
import { Menu } from '../kit';
import { BlockBody } from './BlockBody';
import { BlockSettings, ShownTo } from './BlockSettings';
import { Findings } from './Findings';
import type { Asking } from './RichText';
import { useDesk } from './useDesk';
import { KIND_WORDS } from './words';

interface ListProps {
  readonly onFocus: (editor: Editor) => void;
  readonly onAsk: (asking: Asking, block: string) => void;
  readonly onAdd: (spot: Spot, at: { left: number; top: number }) => void;
}

/** Parts in their order; dragged by their handle, or by keys, to another place. */
export function BlockList({
  blocks,
  onMoved,
  ...rest
}: ListProps & { blocks: readonly Block[]; onMoved: (id: string, over: string) => void }) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 4 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  );
  return (
    <DndContext
      id="letter"
      sensors={sensors}
      collisionDetection={closestCenter}
      onDragEnd={({ active, over }) => over && active.id !== over.id && onMoved(String(active.id), String(over.id))}
    >
      <SortableContext items={blocks.map(({ id }) => id)} strategy={verticalListSortingStrategy}>
        {blocks.map((block, index) => (
          <BlockFrame key={block.id} block={block} number={index + 1} onMoved={onMoved} {...rest} />
        ))}
      </SortableContext>
    </DndContext>
  );
}

function BlockFrame({
  block,
  number,
  onMoved,
  onFocus,
  onAsk,
  onAdd,
}: ListProps & { block: Block; number: number; onMoved: (id: string, over: string) => void }) {
  const { selected, select, act, message, put } = useDesk();
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition, isDragging } = useSortable({ id: block.id });
  const isHere = selected === block.id;
  const name = `${KIND_WORDS[block.kind].name}, part ${number}`;
  const asked = block.only ?? block.unless;
  const condition = message.conditions?.find(({ id }) => id === asked);
  const icon = 'grid size-6 place-items-center rounded text-soft hover:bg-wash hover:text-ink';
  return (
    <div
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      data-block={block.kind}
      role="group"
      aria-label={name}
      onFocusCapture={() => !isHere && select(block.id)}
      onPointerDown={(event) => {
        event.stopPropagation();
        if (!isHere) select(block.id);
      }}
      onKeyDown={(event) => {
        if (event.altKey && (event.key === 'ArrowUp' || event.key === 'ArrowDown')) {
          event.preventDefault();
          act(event.key === 'ArrowUp' ? 'up' : 'down', block.id);
        }
      }}
      className={clsx(
        'group relative -mx-3 rounded border px-3 py-1',
        isHere ? 'border-[var(--accent)]' : 'border-transparent hover:border-[#8d877866]',
        isDragging && 'z-10 opacity-80',
      )}
    >
      {condition && (
        <p className="mb-1 text-xs leading-4 text-[#3e5c76]">
          {block.only ? 'Only where' : 'Only where not'} “{condition.name}”
        </p>
      )}
      {block.kind === 'columns' ? (
        <div className="grid gap-3" style={{ gridTemplateColumns: `repeat(${block.columns.length}, minmax(0, 1fr))` }}>
          {block.columns.map((column, n) => (
            <div
              key={column.id}
              role="group"
              aria-label={`Column ${n + 1}`}
              className="min-w-0 rounded border border-dashed border-[#8d877866] p-1.5"
            >
              <BlockList blocks={column.blocks} onMoved={onMoved} onFocus={onFocus} onAsk={onAsk} onAdd={onAdd} />
              <div className="flex items-center justify-between gap-1">
                <button
                  type="button"
                  className="min-h-6 text-xs text-soft underline"
                  onClick={(event) => {
                    const { left, bottom } = event.currentTarget.getBoundingClientRect();
                    const last = column.blocks.at(-1)?.id;
                    onAdd(last ? { after: last } : { first: column.id }, { left, top: bottom + 4 });
                  }}
                >
                  Put in
                </button>
                {isHere && <ColumnShown block={block} column={column} onChange={(next) => put(next, '')} />}
              </div>
            </div>
          ))}
        </div>
      ) : (
        <BlockBody block={block} onFocus={onFocus} onAsk={onAsk} />
      )}
      <Findings block={block.id} />
      <div
        className={clsx(
          'absolute -right-[27px] top-0 grid font-sans text-base',
          isHere ? 'visible' : 'invisible group-focus-within:visible group-hover:visible',
        )}
      >
        <button
          ref={setActivatorNodeRef}
          type="button"
          {...attributes}
          {...listeners}
          aria-label={`Move: ${name}`}
          title="Drag to another place"
          className={clsx(icon, 'cursor-grab')}
        >
          <GripVertical size={14} aria-hidden="true" />
        </button>
        <Popover.Root>
          <Popover.Trigger asChild>
            <button type="button" aria-label={`Settings: ${name}`} title="Settings" className={icon}>
              <Settings2 size={14} aria-hidden="true" />
            </button>
          </Popover.Trigger>
          <Popover.Portal>
            <Popover.Content
              side="right"
              align="start"
              sideOffset={6}
              collisionPadding={8}
              className="z-[60] max-h-[80vh] w-[300px] overflow-y-auto rounded-md border border-line bg-panel p-4 text-base text-ink"
            >
              <BlockSettings block={block} />
            </Popover.Content>
          </Popover.Portal>
        </Popover.Root>
        <Menu
          align="start"
          groups={[
            [
              { name: 'Move up', onSelect: () => act('up', block.id) },
              { name: 'Move down', onSelect: () => act('down', block.id) },
              { name: 'Duplicate', onSelect: () => act('double', block.id) },
              { name: 'Save to the library…', onSelect: () => act('keep', block.id) },
            ],
            [{ name: 'Remove', takes: true, onSelect: () => act('remove', block.id) }],
          ]}
        >
          <button type="button" aria-label={`More: ${name}`} title="More" className={icon}>
            <MoreVertical size={14} aria-hidden="true" />
          </button>
        </Menu>
      </div>
    </div>
  );
}

function ColumnShown({
  block,
  column,
  onChange,
}: {
  block: Extract<Block, { kind: 'columns' }>;
  column: Column;
  onChange: (block: Block) => void;
}) {
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <button type="button" className="min-h-6 text-xs text-soft underline">
          {column.only || column.unless ? 'For some' : 'For everybody'}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content className="z-[60] w-64 rounded-md border border-line bg-panel p-3 text-base text-ink">
          <ShownTo
            value={column}
            onChange={(shown) =>
              onChange({
                ...block,
                columns: block.columns.map((one) => (one.id === column.id ? { id: one.id, blocks: one.blocks, ...shown } : one)),
              })
            }
          />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
