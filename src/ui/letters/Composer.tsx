'use client';

import { keepPreviousData, useQuery } from '@tanstack/react-query';
import type { Editor } from '@tiptap/react';
import { Paperclip, Plus, Send, Users } from 'lucide-react';
import { useCallback, useDeferredValue, useMemo, useState, type ReactNode } from 'react';
import { toast } from 'sonner';
import type { RenderView, TellingPerson } from '@/core/api';
import {
  BLOCK_KINDS,
  checkMessage,
  directionOf,
  doubled,
  everyBlock,
  freeBlockId,
  freshBlock,
  insertBlocks,
  mapBlocks,
  movedBlock,
  movedTo,
  nameOfLanguage,
  withoutColumns,
  withoutConditions,
  type Block,
  type BlockKind,
  type Email,
  type Spot,
} from '@/core/messages';
import { markdownOf, type DocNode } from '@/core/letters';
import { SAID_IN } from '@/core/tongue';
import { api, useStore } from '../kit';
import { Attached } from './Attached';
import { BlockList } from './BlockList';
import { Conditions } from './Conditions';
import { Floating } from './Floating';
import { Formats } from './Formats';
import { Head } from './Head';
import { PickList, type Pick } from './PickList';
import { Received } from './Received';
import type { Asking } from './RichText';
import { SaveToLibrary, TestDialog } from './Dialogs';
import { DeskContext, sheetStyle, useBrand, useBrands, useSavedBlocks, type Desk } from './useDesk';
import { useValues } from './useValues';
import { KIND_WORDS } from './words';

/** In which language a letter says what it says by itself. */
const saidIn = (language: string): string =>
  language === 'en'
    ? ''
    : SAID_IN.includes(language)
      ? `, in ${nameOfLanguage(language)}`
      : `, in English: ${nameOfLanguage(language)} is not known yet`;

/**
 * The desk on which a letter is written: at the left the letter as it is written, at the right the same as somebody gets it. What is
 * put in is named by typing; what can be set of a part opens beside it; what is to be mended stands at the words it is about.
 */
export function Composer({
  message,
  startedBy,
  hasOffer = true,
  given,
  reader,
  strip,
  acts,
  onChange,
}: {
  message: Email;
  /** the type of the event that starts its flow; null where it is in none */
  startedBy: string | null;
  hasOffer?: boolean;
  /** what is put in as its event where it is in no flow, as it is shown here */
  given?: { readonly [name: string]: string } | undefined;
  /** the one person whom it goes to */
  reader?: TellingPerson | undefined;
  strip?: ReactNode;
  /** what can be done with it beside writing, at the end of its bar */
  acts?: ReactNode;
  onChange: (message: Email, tag: string) => void;
}) {
  const brand = useBrand(message.brand);
  const { languages } = useStore();
  const language = message.language ?? languages[0] ?? 'en';
  const direction = directionOf(language);
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
  const { values, isLoading: areValuesLoading } = useValues(startedBy, hasOffer, given);

  const people = useQuery({
    queryKey: ['telling', startedBy],
    queryFn: () =>
      api<{ people: TellingPerson[] }>(`/messages/people${startedBy === null ? '' : `?event=${encodeURIComponent(startedBy)}`}`),
    staleTime: 60_000,
  });
  const readers = useMemo(() => [...(reader ? [reader] : []), ...(people.data?.people ?? [])], [reader, people.data]);
  const person = who ?? readers[0]?.id ?? '';
  const shown = useDeferredValue(message);
  const received = useQuery({
    queryKey: ['rendered', shown, person, startedBy, given],
    queryFn: ({ signal }) =>
      api<RenderView>('/messages/render', {
        method: 'POST',
        body: {
          message: shown,
          ...(person && { person }),
          ...(startedBy !== null && person ? { event: startedBy } : given && { event: given }),
        },
        signal,
      }),
    enabled: people.isSuccess,
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 60_000,
    gcTime: 60_000,
  });
  const problems = received.data?.problems;
  const findings = useMemo(
    () => [
      ...checkMessage(message, startedBy === null ? {} : { startedBy: [startedBy] }),
      // what only who asks at the address knows
      ...(problems?.filter(({ code }) => code === 'link-unanswered') ?? []),
    ],
    [message, startedBy, problems],
  );

  const put = useCallback(
    (block: Block, field: string) =>
      onChange({ ...message, blocks: mapBlocks(message.blocks, (one) => (one.id === block.id ? block : one)) }, `${block.id}.${field}`),
    [message, onChange],
  );
  const place = (blocks: readonly Block[], spot: Spot, added: readonly Block[]): Block[] => insertBlocks(blocks, spot, added);
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
    onChange({ ...message, blocks: movedBlock(message.blocks, id, what === 'up' ? -1 : 1) }, `move-${id}`);
  };
  const desk: Desk = {
    message,
    brand,
    start: direction === 'ltr' ? 'left' : 'right',
    startedBy,
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
    return blocks.reduce<Block[]>((made, block) => [...made, withoutConditions(doubled(block, [...message.blocks, ...made]))], []);
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
    const placed = insertBlocks(kept, { after: id }, [...made, ...rest]);
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
    // at once, and not with the next frame as the command does it: what is typed next belongs to the text
    to.view.focus();
    const chain = to.chain();
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
                <Head message={message} onChange={onChange} />
              </div>
              <div className="mx-auto rounded-b-md border px-7 py-5" style={sheetStyle(brand)} dir={direction} data-testid="letter">
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
                <p dir="auto" className="mt-5 border-t pt-3 text-xs" style={{ borderColor: brand.colours.line, color: brand.colours.soft }}>
                  {message.kind === 'marketing'
                    ? `Why they get this, the way to unsubscribe, and the address stand here${saidIn(language)}.`
                    : 'The address stands here.'}
                </p>
              </div>
              <p className="mx-auto mt-2 text-xs text-soft" style={{ width: brand.width }}>
                {stops ? `${stops} to be mended before it can go out.` : 'Nothing stands in the way of sending it.'}
              </p>
            </div>
          </section>
          <Received
            people={readers}
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
                asking?.editor.view.focus();
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
              isLoading={areValuesLoading}
              onPick={pickValue}
              onClose={() => {
                asking?.editor.view.focus();
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
        {saving && (
          <SaveToLibrary
            content={{ blocks: [withoutConditions(saving)] }}
            name={('text' in saving && saving.text.slice(0, 40)) || KIND_WORDS[saving.kind].name}
            about="It is offered wherever something is put into a letter. What it is put into keeps a copy of its own."
            onClose={() => setSaving(null)}
            onSaved={() => setSaving(null)}
          />
        )}
      </div>
    </DeskContext.Provider>
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
