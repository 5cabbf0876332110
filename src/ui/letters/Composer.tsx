'use client';

import { closestCenter, DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors } from '@dnd-kit/core';
import { SortableContext, sortableKeyboardCoordinates, useSortable, verticalListSortingStrategy } from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { Editor } from '@tiptap/react';
import { clsx } from 'clsx';
import {
  Bold,
  GripVertical,
  Heading2,
  Italic,
  Link2,
  List,
  ListOrdered,
  MoreVertical,
  Paperclip,
  Plus,
  Send,
  Settings2,
  Users,
} from 'lucide-react';
import { Popover } from 'radix-ui';
import { useCallback, useDeferredValue, useMemo, useState, type ReactNode } from 'react';
import { toast } from 'sonner';
import type { RenderView, SenderView, TellingPerson } from '@/core/api';
import {
  BLOCK_KINDS,
  checkMessage,
  doubled,
  everyBlock,
  freeBlockId,
  freshBlock,
  mapBlocks,
  SUBJECT_SHOWS,
  type Block,
  type BlockKind,
  type Column,
  type Email,
  type Leaf,
} from '@/core/messages';
import { markdownOf, type DocNode } from '@/core/letters';
import { api, Menu } from '../kit';
import { Attached } from './Attached';
import { BlockBody } from './BlockBody';
import { BlockSettings, ShownTo } from './BlockSettings';
import { Conditions } from './Conditions';
import { Floating } from './Floating';
import { PickList, type Pick } from './PickList';
import { Finding, Received } from './Received';
import type { Asking } from './RichText';
import { SaveBlocks, TestDialog } from './Dialogs';
import { DeskContext, sheetStyle, useBrand, useBrands, useDesk, useSavedBlocks, type Desk } from './useDesk';
import { useValues } from './useValues';
import { KIND_WORDS } from './words';

/** Where a new part is put: after a block, or at the beginning of the letter or of a column. */
type Spot = { readonly after: string } | { readonly first: string | null };

/**
 * The desk on which a letter is written: at the left the letter as it is written, at the right the same as somebody gets it. What is
 * put in is named by typing; what can be set of a part opens beside it; what is to be mended stands at the words it is about.
 */
export function Composer({
  message,
  startedBy,
  hasOffer = true,
  strip,
  acts,
  onChange,
}: {
  message: Email;
  /** the type of the event that starts its flow; null where it is in none */
  startedBy: string | null;
  hasOffer?: boolean;
  strip?: ReactNode;
  /** what can be done with it beside writing, at the end of its bar */
  acts?: ReactNode;
  onChange: (message: Email, tag: string) => void;
}) {
  const brand = useBrand(message.brand);
  const brands = useBrands();
  const [selected, select] = useState<string | null>(null);
  const [who, setWho] = useState<string | null>(null);
  const [asking, setAsking] = useState<(Asking & { block: string }) | null>(null);
  const [adding, setAdding] = useState<{ spot: Spot; at: { left: number; top: number } } | null>(null);
  const [editor, setEditor] = useState<Editor | null>(null);
  const [isConditions, setConditions] = useState(false);
  const [isTesting, setTesting] = useState(false);
  const [isFiles, setFiles] = useState(false);
  const [saving, setSaving] = useState<Block | null>(null);
  const saved = useSavedBlocks();
  const values = useValues(startedBy, hasOffer);

  const people = useQuery({
    queryKey: ['telling', startedBy],
    queryFn: () =>
      api<{ people: TellingPerson[] }>(`/messages/people${startedBy === null ? '' : `?event=${encodeURIComponent(startedBy)}`}`),
    staleTime: 60_000,
  });
  const person = who ?? people.data?.people[0]?.id ?? '';
  const shown = useDeferredValue(message);
  const received = useQuery({
    queryKey: ['rendered', shown, person, startedBy],
    queryFn: ({ signal }) =>
      api<RenderView>('/messages/render', {
        method: 'POST',
        body: { message: shown, ...(person && { person }), ...(startedBy !== null && person && { event: startedBy }) },
        signal,
      }),
    enabled: people.isSuccess,
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 60_000,
    gcTime: 60_000,
  });
  const findings = useMemo(() => checkMessage(message, startedBy === null ? {} : { startedBy: [startedBy] }), [message, startedBy]);

  const put = useCallback(
    (block: Block, field: string) =>
      onChange({ ...message, blocks: mapBlocks(message.blocks, (one) => (one.id === block.id ? block : one)) }, `${block.id}.${field}`),
    [message, onChange],
  );
  const place = (blocks: readonly Block[], spot: Spot, added: readonly Block[]): Block[] => insert(blocks, spot, added);
  const add = (spot: Spot, fresh: readonly Block[], base = message.blocks) => {
    const blocks = place(base, spot, fresh);
    onChange({ ...message, blocks }, '');
    select(fresh[0]?.id ?? null);
  };
  const act: Desk['act'] = (what, id) => {
    const block = everyBlock(message.blocks).find((one) => one.id === id);
    if (!block) return;
    if (what === 'keep') return setSaving(block);
    if (what === 'remove') {
      onChange({ ...message, blocks: mapBlocks(message.blocks, (one) => (one.id === id ? null : one)) }, '');
      return select(null);
    }
    if (what === 'double') return add({ after: id }, [doubled(block, message.blocks)]);
    onChange({ ...message, blocks: moved(message.blocks, id, what === 'up' ? -1 : 1) }, `move-${id}`);
  };
  const desk: Desk = {
    message,
    brand,
    startedBy,
    hasOffer,
    selected,
    findings,
    received: received.data,
    select,
    put,
    act,
    openConditions: () => setConditions(true),
  };

  const parts: Pick[] = [
    ...BLOCK_KINDS.map((kind): Pick => ({
      key: kind,
      name: KIND_WORDS[kind].name,
      says: KIND_WORDS[kind].says,
      also: `${kind} ${KIND_WORDS[kind].also}`,
      group: 'Put in',
    })),
    ...(saved.data?.items
      .filter((one) => !one.isArchived)
      .map((one): Pick => ({ key: `saved:${one.key}`, name: one.name, also: one.tags.join(' '), group: 'From the library' })) ?? []),
  ];
  /** the blocks that a choice stands for, with ids that are free */
  const freshFor = (key: string): Block[] => {
    if (!key.startsWith('saved:')) return [freshBlock(key as BlockKind, freeBlockId(message.blocks))];
    const blocks = saved.data?.items.find((one) => one.key === key.slice(6))?.blocks ?? [];
    return blocks.reduce<Block[]>((made, block) => [...made, plainOf(doubled(block, [...message.blocks, ...made]))], []);
  };
  const pickPart = (key: string) => {
    if (adding) {
      add(adding.spot, withoutColumns(freshFor(key), adding.spot, message.blocks));
      return setAdding(null);
    }
    if (!asking) return;
    const { editor: own, from, to, block: id } = asking;
    setAsking(null);
    own.chain().deleteRange({ from, to }).run();
    const index = own.state.doc.resolve(from).index(0);
    const content = (own.getJSON() as DocNode).content ?? [];
    const here = content[index];
    const before = markdownOf({ type: 'doc', content: content.slice(0, index) });
    const after = markdownOf({ type: 'doc', content: [...(here?.content?.length ? [here] : []), ...content.slice(index + 1)] });
    const made = withoutColumns(freshFor(key), { after: id }, message.blocks);
    const block = everyBlock(message.blocks).find((one) => one.id === id);
    if (!block || !('text' in block)) return;
    const rest: Block[] = after && block.kind === 'text' ? [{ ...block, id: freeBlockId([...message.blocks, ...made]), text: after }] : [];
    const kept = mapBlocks(message.blocks, (one) =>
      one.id === id ? ({ ...one, text: block.kind === 'text' ? before : block.text } as Block) : one,
    );
    const placed = insert(kept, { after: id }, [...made, ...rest]);
    // a text that holds nothing any more goes
    onChange(
      { ...message, blocks: before || block.kind !== 'text' ? placed : mapBlocks(placed, (one) => (one.id === id ? null : one)) },
      '',
    );
    select(made[0]?.id ?? null);
  };
  const valuePicks: Pick[] = [
    ...values.map((one): Pick => ({
      key: one.raw,
      name: one.path.replace(/^\w+\./, ''),
      says: one.says,
      also: one.path,
      group: one.group,
    })),
    ...(message.conditions ?? []).map(({ id, name }): Pick => ({
      key: `if:${id}`,
      name: `Only where “${name}”`,
      says: 'a sentence for some',
      group: 'A sentence for some',
    })),
  ];
  const pickValue = (raw: string) => {
    const to = asking?.editor ?? editor;
    if (!to) return;
    const chain = to.chain().focus();
    if (asking) chain.deleteRange({ from: asking.from, to: asking.to });
    const value = (one: string) => ({ type: 'value', attrs: { raw: one } });
    chain
      .insertContent(
        raw.startsWith('if:')
          ? [
              value(`{% if holds.${raw.slice(3)} %}`),
              { type: 'text', text: 'for those of whom it holds' },
              value('{% else %}'),
              { type: 'text', text: 'for everybody else' },
              value('{% endif %}'),
            ]
          : value(raw),
      )
      .run();
    setAsking(null);
    setValueAt(null);
  };
  const [valueAt, setValueAt] = useState<{ left: number; top: number } | null>(null);

  const bare = message.subject.replace(/\{[{%].*?[%}]\}/g, '').trim().length;
  const stops = findings.filter(({ level }) => level === 'stops').length;
  return (
    <DeskContext.Provider value={desk}>
      <div className="flex min-h-0 flex-1 flex-col" data-testid="composer">
        <div className="flex flex-wrap items-center gap-2 border-b border-line bg-panel px-4 py-1.5">
          {strip}
          <div className="flex-1" />
          {(brands.data?.brands.length ?? 0) > 1 && (
            <select
              aria-label="Brand"
              value={message.brand ?? ''}
              onChange={(event) => {
                const { brand: _, ...rest } = message;
                onChange(event.target.value ? { ...rest, brand: event.target.value } : rest, '');
              }}
              className="h-8 rounded-md border border-line bg-panel px-2"
            >
              <option value="">{brands.data?.brands.find(({ isFirst }) => isFirst)?.brand.name}</option>
              {brands.data?.brands
                .filter(({ isFirst }) => !isFirst)
                .map((one) => (
                  <option key={one.key} value={one.key}>
                    {one.brand.name}
                  </option>
                ))}
            </select>
          )}
          {(message.kind === 'service' || message.attachments) && (
            <Tool name="Files that go with it" onClick={() => setFiles(true)}>
              <Paperclip size={16} aria-hidden="true" /> Files{message.attachments ? ` (${message.attachments.length})` : ''}
            </Tool>
          )}
          <Tool name="Who sees what" onClick={() => setConditions(true)}>
            <Users size={16} aria-hidden="true" /> For some{message.conditions?.length ? ` (${message.conditions.length})` : ''}
          </Tool>
          <Tool name="Send a test" onClick={() => setTesting(true)}>
            <Send size={16} aria-hidden="true" /> Test
          </Tool>
          {acts}
        </div>
        <div className="flex min-h-0 flex-1">
          <section aria-label="The letter as it is written" className="flex w-[700px] min-w-0 shrink-0 flex-col bg-paper">
            <Formats
              editor={editor}
              onValue={(at) => {
                setValueAt(at);
              }}
              onPart={(at) => {
                const last = selected && message.blocks.some(({ id }) => id === selected) ? selected : message.blocks.at(-1)?.id;
                setAdding({ spot: last ? { after: last } : { first: null }, at });
              }}
            />
            <div
              className="min-h-0 flex-1 overflow-y-auto px-4 py-4"
              onPointerDown={(event) => event.target === event.currentTarget && select(null)}
            >
              <div
                className="mx-auto grid gap-1 rounded-t-md border border-b-0 bg-panel px-7 py-3"
                style={{ width: brand.width, borderColor: brand.colours.line }}
              >
                <HeadLine
                  label="Subject"
                  value={message.subject}
                  isBold
                  onChange={(subject) => onChange({ ...message, subject: subject.replace(/[\r\n]+/g, ' ') }, 'subject')}
                >
                  <span className="text-xs text-soft tabular">
                    {bare > SUBJECT_SHOWS.narrow
                      ? `${bare} letters: a phone shows about ${SUBJECT_SHOWS.narrow}`
                      : bare
                        ? `${bare} letters`
                        : ''}
                  </span>
                </HeadLine>
                <Sender message={message} onChange={onChange} />
                <HeadLine
                  label="Preview line"
                  value={message.preview}
                  onChange={(preview) => onChange({ ...message, preview }, 'preview')}
                />
                <Findings block={undefined} />
              </div>
              <div className="mx-auto rounded-b-md border px-7 py-5" style={sheetStyle(brand)} data-testid="letter">
                <p style={{ color: brand.colours.accent, fontWeight: 700, fontSize: 18 }} className="mb-2">
                  {brand.logo ? <img src={brand.logo.url} alt={brand.name} width={brand.logo.width} /> : brand.name}
                </p>
                <BlockList
                  blocks={message.blocks}
                  onMoved={(id, over) => onChange({ ...message, blocks: movedTo(message.blocks, id, over) }, '')}
                  onFocus={setEditor}
                  onAsk={(one, block) => setAsking({ ...one, block })}
                  onAdd={(spot, at) => setAdding({ spot, at })}
                />
                {!message.blocks.length && <p className="text-soft">Nothing is written yet.</p>}
                <button
                  type="button"
                  onClick={(event) => {
                    const { left, bottom } = event.currentTarget.getBoundingClientRect();
                    const last = message.blocks.at(-1)?.id;
                    setAdding({ spot: last ? { after: last } : { first: null }, at: { left, top: bottom + 4 } });
                  }}
                  className="mt-3 flex min-h-8 w-full items-center gap-2 rounded border border-dashed border-[#8d8778] px-3 text-sm"
                >
                  <Plus size={14} aria-hidden="true" /> Put something in
                </button>
                <p className="mt-5 border-t pt-3 text-xs" style={{ borderColor: brand.colours.line, color: brand.colours.soft }}>
                  {message.kind === 'marketing'
                    ? 'Why they get this, the way to unsubscribe, and the address stand here.'
                    : 'The address stands here.'}
                </p>
              </div>
              <p className="mx-auto mt-2 text-xs text-soft" style={{ width: brand.width }}>
                {stops ? `${stops} to be mended before it can go out.` : 'Nothing stands in the way of sending it.'}
              </p>
            </div>
          </section>
          <Received
            people={people.data?.people ?? []}
            who={person}
            onWho={setWho}
            received={received.data}
            isLate={received.isPlaceholderData || shown !== message}
            problem={received.error?.message ?? people.error?.message ?? null}
          />
        </div>
        {(adding ?? (asking?.kind === 'part' ? asking : null)) && (
          <Floating
            at={(adding ?? asking)!.at}
            onClose={() => {
              setAdding(null);
              setAsking(null);
            }}
          >
            <PickList
              label="What shall stand here?"
              picks={parts}
              onPick={pickPart}
              onClose={() => {
                setAdding(null);
                asking?.editor.commands.focus();
                setAsking(null);
              }}
            />
          </Floating>
        )}
        {(valueAt ?? (asking?.kind === 'value' ? asking.at : null)) && (
          <Floating
            at={valueAt ?? asking!.at}
            onClose={() => {
              setAsking(null);
              setValueAt(null);
            }}
          >
            <PickList
              label="Which value?"
              picks={valuePicks}
              onPick={pickValue}
              onClose={() => {
                asking?.editor.commands.focus();
                setAsking(null);
                setValueAt(null);
              }}
            />
          </Floating>
        )}
        {isConditions && <Conditions message={message} startedBy={startedBy} onChange={onChange} onClose={() => setConditions(false)} />}
        {isFiles && <Attached message={message} onChange={onChange} onClose={() => setFiles(false)} />}
        {isTesting && (
          <TestDialog
            message={message}
            person={person}
            event={startedBy}
            onClose={() => setTesting(false)}
            onSent={(many) => {
              setTesting(false);
              toast.success(
                many === 1 ? 'The test is on its way. It counts nowhere.' : `${many} tests are on their way. They count nowhere.`,
              );
            }}
          />
        )}
        {saving && <SaveBlocks block={saving} onClose={() => setSaving(null)} />}
      </div>
    </DeskContext.Provider>
  );
}

/** A block without what it asks of the message it came from. */
const plainOf = (block: Block): Block => {
  const { only: _, unless: __, ...rest } = block;
  return rest as Block;
};

/** Columns do not stand in columns. */
function withoutColumns(blocks: Block[], spot: Spot, all: readonly Block[]): Block[] {
  const isInner = 'after' in spot ? !all.some(({ id }) => id === spot.after) : spot.first !== null;
  return isInner ? blocks.filter(({ kind }) => kind !== 'columns') : blocks;
}

/** Blocks with some put in at a spot, in the letter or in a column. */
function insert(blocks: readonly Block[], spot: Spot, added: readonly Block[]): Block[] {
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
function moved(blocks: readonly Block[], id: string, by: -1 | 1): Block[] {
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
function movedTo(blocks: readonly Block[], id: string, over: string): Block[] {
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

interface ListProps {
  readonly onFocus: (editor: Editor) => void;
  readonly onAsk: (asking: Asking, block: string) => void;
  readonly onAdd: (spot: Spot, at: { left: number; top: number }) => void;
}

/** Parts in their order; dragged by their handle, or by keys, to another place. */
function BlockList({ blocks, onMoved, ...rest }: ListProps & { blocks: readonly Block[]; onMoved: (id: string, over: string) => void }) {
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

/** What is to be mended at a place: of a block, or of the letter's head. */
function Findings({ block }: { block: string | undefined }) {
  const { findings } = useDesk();
  const here = findings.filter((one) => one.block === block && (block !== undefined || one.field !== undefined));
  if (!here.length) return null;
  return (
    <ul className="mt-1 grid gap-0.5 font-sans text-xs leading-4">
      {here.map((one, index) => (
        <Finding key={one.code + index} one={one} />
      ))}
    </ul>
  );
}

/** In whose name it goes out, and where answers go. */
function Sender({ message, onChange }: { message: Email; onChange: (message: Email, tag: string) => void }) {
  const { data } = useQuery({
    queryKey: ['senders'],
    queryFn: () => api<{ store: { name: string; address: string }; senders: SenderView[] }>('/senders'),
    staleTime: 30_000,
  });
  const put = (field: 'sender' | 'replyTo', value: string) => {
    const { [field]: _, ...rest } = message;
    onChange(value ? { ...rest, [field]: value } : rest, field);
  };
  const chosen = data?.senders.find(({ key }) => key === message.sender);
  const isAddress = !message.replyTo || /^[^\s@]+@[^\s@]+\.[^\s@]+$/.test(message.replyTo);
  return (
    <div className="flex items-baseline gap-2">
      <span className="w-20 shrink-0 text-xs text-soft">From</span>
      <select
        aria-label="From"
        value={message.sender ?? ''}
        onChange={(event) => put('sender', event.target.value)}
        className="h-7 min-w-0 max-w-[200px] border-b border-transparent bg-transparent hover:border-line"
      >
        <option value="">{data ? data.store.name : ''}</option>
        {data?.senders.map((one) => (
          <option key={one.key} value={one.key}>
            {one.name} ({one.address})
          </option>
        ))}
        {message.sender !== undefined && data && !chosen && <option value={message.sender}>one that is gone</option>}
      </select>
      <input
        aria-label="Answers go to"
        type="email"
        value={message.replyTo ?? ''}
        maxLength={254}
        placeholder="Answers go to the sender"
        onChange={(event) => put('replyTo', event.target.value.trim())}
        className="min-w-0 flex-1 border-b border-transparent bg-transparent py-0.5 hover:border-line focus:border-[var(--accent)] focus:outline-none"
      />
      {(chosen && !chosen.verifiedAt && <span className="text-xs text-caution">not confirmed yet: the store’s name stands there</span>) ||
        (!isAddress && <span className="text-xs text-stop">no address</span>)}
    </div>
  );
}

function HeadLine({
  label,
  value,
  isBold = false,
  children,
  onChange,
}: {
  label: string;
  value: string;
  isBold?: boolean;
  children?: ReactNode;
  onChange: (value: string) => void;
}) {
  return (
    <label className="flex items-baseline gap-2">
      <span className="w-20 shrink-0 text-xs text-soft">{label}</span>
      <input
        value={value}
        maxLength={300}
        placeholder={label === 'Subject' ? 'What it is about' : 'Shown beside the subject in most inboxes'}
        onChange={(event) => onChange(event.target.value)}
        className={clsx(
          'min-w-0 flex-1 border-b border-transparent bg-transparent py-0.5 hover:border-line focus:border-[var(--accent)] focus:outline-none',
          isBold && 'font-semibold',
        )}
      />
      {children}
    </label>
  );
}

function Tool({ name, onClick, children }: { name: string; onClick: () => void; children: ReactNode }) {
  return (
    <button
      type="button"
      onClick={onClick}
      title={name}
      aria-label={name}
      className="inline-flex h-8 items-center gap-1.5 rounded-md border border-line bg-panel px-2.5 font-semibold hover:bg-wash"
    >
      {children}
    </button>
  );
}

/** What can be done to the words in hand. */
function Formats({
  editor,
  onValue,
  onPart,
}: {
  editor: Editor | null;
  onValue: (at: { left: number; top: number }) => void;
  onPart: (at: { left: number; top: number }) => void;
}) {
  const [linking, setLinking] = useState<{ left: number; top: number; href: string } | null>(null);
  const isOff = !editor || editor.isDestroyed;
  const below = (element: Element) => {
    const { left, bottom } = element.getBoundingClientRect();
    return { left, top: bottom + 4 };
  };
  const tool = (name: string, icon: ReactNode, onClick: (editor: Editor, element: Element) => void) => (
    <button
      type="button"
      aria-label={name}
      title={name}
      disabled={isOff}
      onPointerDown={(event) => event.preventDefault()}
      onClick={(event) => onClick(editor!, event.currentTarget)}
      className="grid size-8 place-items-center rounded-md hover:bg-wash disabled:opacity-40"
    >
      {icon}
    </button>
  );
  return (
    <div role="toolbar" aria-label="The words in hand" className="flex items-center gap-0.5 border-b border-line bg-panel px-3 py-1">
      {tool('Bold', <Bold size={16} aria-hidden="true" />, (own) => own.chain().focus().toggleBold().run())}
      {tool('Italic', <Italic size={16} aria-hidden="true" />, (own) => own.chain().focus().toggleItalic().run())}
      {tool('Link', <Link2 size={16} aria-hidden="true" />, (own, element) =>
        setLinking({ ...below(element), href: String(own.getAttributes('link').href ?? '') }),
      )}
      {tool('List', <List size={16} aria-hidden="true" />, (own) => own.chain().focus().toggleBulletList().run())}
      {tool('Numbered list', <ListOrdered size={16} aria-hidden="true" />, (own) => own.chain().focus().toggleOrderedList().run())}
      {tool('Heading', <Heading2 size={16} aria-hidden="true" />, (own) => own.chain().focus().toggleHeading({ level: 2 }).run())}
      <button
        type="button"
        disabled={isOff}
        onPointerDown={(event) => event.preventDefault()}
        onClick={(event) => onValue(below(event.currentTarget))}
        className="h-8 rounded-md px-2 hover:bg-wash disabled:opacity-40"
      >
        Value…
      </button>
      <button type="button" onClick={(event) => onPart(below(event.currentTarget))} className="h-8 rounded-md px-2 hover:bg-wash">
        Part…
      </button>
      <span className="ml-auto text-xs text-soft">/ puts a part in, {'{'} a value, Alt+↑↓ moves</span>
      {linking && editor && (
        <Floating at={linking} onClose={() => setLinking(null)}>
          <form
            className="flex w-[380px] gap-2 rounded-md border border-line bg-panel p-2"
            onSubmit={(event) => {
              event.preventDefault();
              const href = linking.href.trim();
              const chain = editor.chain().focus().extendMarkRange('link');
              if (!href) chain.unsetLink().run();
              else if (editor.state.selection.empty && !editor.isActive('link'))
                chain.insertContent({ type: 'text', text: href, marks: [{ type: 'link', attrs: { href } }] }).run();
              else chain.setLink({ href }).run();
              setLinking(null);
            }}
          >
            <input
              autoFocus
              aria-label="Where the link leads"
              value={linking.href}
              maxLength={2000}
              placeholder="https:// or a placeholder; empty takes it away"
              onChange={(event) => setLinking({ ...linking, href: event.target.value })}
              className="h-8 min-w-0 flex-1 rounded-md border border-line bg-panel px-2 font-mono text-xs"
            />
            <button type="submit" className="h-8 rounded-md bg-accent px-3 font-semibold text-on-accent">
              Done
            </button>
          </form>
        </Floating>
      )}
    </div>
  );
}
