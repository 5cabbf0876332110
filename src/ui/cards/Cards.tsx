'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Tag } from 'lucide-react';
import { useId, useMemo, useState } from 'react';
import type { CardsView } from '@/core/api';
import { cardInput, type Card, type CardOf } from '@/core/cards';
import { api, areaClass, attempt, Button, Dialog, Field, inputClass, Label, type TableColumn, WordList } from '../kit';

const NOTHING: Card = { about: '', owner: '', tags: [] };
/** Cards of one kind by key. */
export type Cards = ReadonlyMap<string, Card>;

function useCardsView(kind: CardOf) {
  return useQuery({ queryKey: ['cards', kind], queryFn: () => api<CardsView>(`/cards?kind=${kind}`) });
}
/** What things of a kind are for and who looks after each; nothing of those of which nothing is said, or known yet. */
export function useCards(kind: CardOf): Cards {
  const { data } = useCardsView(kind);
  return useMemo(() => new Map(data?.cards.map(({ key, ...card }) => [key, card])), [data]);
}

/** Who looks after it and its tags, as a column of a table. */
export const cardColumn = <Row,>(cards: Cards, keyOf: (row: Row) => string): TableColumn<Row> => ({
  key: 'card',
  name: 'Looked after by',
  value: (row) => [cards.get(keyOf(row))?.owner, ...(cards.get(keyOf(row))?.tags ?? [])].join(' ').trim() || null,
  show: (row) => {
    const { owner, tags } = cards.get(keyOf(row)) ?? NOTHING;
    return owner || tags.length ? (
      <span className="flex flex-wrap items-center gap-1">
        {owner}
        {tags.map((tag) => (
          <Label key={tag}>{tag}</Label>
        ))}
      </span>
    ) : (
      <span className="text-soft">nobody yet</span>
    );
  },
});

/** What something is for, who looks after it and its tags, where any of it is said. */
export function CardLine({ kind, of }: { kind: CardOf; of: string }) {
  const { about, owner, tags } = useCards(kind).get(of) ?? NOTHING;
  if (!about && !owner && !tags.length) return null;
  return (
    <p data-testid="card" className="mb-3 flex max-w-[760px] flex-wrap items-center gap-x-2 gap-y-1 text-soft">
      {about && <span className="whitespace-pre-wrap break-words">{about}</span>}
      {owner && <span>{owner} looks after it.</span>}
      {tags.map((tag) => (
        <Label key={tag}>{tag}</Label>
      ))}
    </p>
  );
}

/** What the thing says itself, and its card does not. */
const SAYS_ITSELF: { readonly [kind in CardOf]?: 'about' | 'tags' } = { message: 'tags', list: 'about' };

/** A button that opens what something is for, who looks after it and its tags, to be changed. */
export function CardButton({ kind, of }: { kind: CardOf; of: string }) {
  const itself = SAYS_ITSELF[kind];
  const title = itself === 'tags' ? 'Description and owner' : itself === 'about' ? 'Owner and tags' : 'Description, owner and tags';
  const client = useQueryClient();
  const { data } = useCardsView(kind);
  const [draft, setDraft] = useState<Card | null>(null);
  const [isBusy, setBusy] = useState(false);
  const names = useId();
  const stored = data?.cards.find(({ key }) => key === of);
  const isSound = draft !== null && cardInput.safeParse(draft).success;
  return (
    <>
      <Button
        changes={`/cards/${kind}/${of}`}
        kind="quiet"
        className="px-2"
        aria-label={title}
        title={title}
        disabled={!data}
        onClick={() => setDraft(stored ? { about: stored.about, owner: stored.owner, tags: [...stored.tags] } : NOTHING)}
      >
        <Tag size={16} aria-hidden="true" />
      </Button>
      {draft && (
        <Dialog isOpen onClose={() => setDraft(null)} title={title} width={480}>
          <form
            className="grid gap-3"
            onSubmit={(event) => {
              event.preventDefault();
              setBusy(true);
              void attempt(async () => {
                await api(`/cards/${kind}/${encodeURIComponent(of)}`, { method: 'PUT', body: draft });
                await client.invalidateQueries({ queryKey: ['cards', kind] });
                setDraft(null);
              }, 'Saved.').finally(() => setBusy(false));
            }}
          >
            {itself !== 'about' && (
              <Field label="What it is for">
                <textarea
                  rows={3}
                  maxLength={1000}
                  value={draft.about}
                  onChange={(event) => setDraft({ ...draft, about: event.target.value })}
                  className={areaClass}
                />
              </Field>
            )}
            <Field label="Who looks after it">
              <input
                list={names}
                maxLength={120}
                value={draft.owner}
                onChange={(event) => setDraft({ ...draft, owner: event.target.value })}
                className={inputClass}
              />
            </Field>
            <datalist id={names}>
              {data?.team.map((name) => (
                <option key={name} value={name} />
              ))}
            </datalist>
            {itself !== 'tags' && (
              <Field
                label="Tags"
                hint={
                  data?.tags.length ? `With commas between them. So far: ${data.tags.slice(0, 8).join(', ')}` : 'With commas between them'
                }
              >
                <WordList value={draft.tags} onChange={(tags) => setDraft({ ...draft, tags: [...tags] })} />
              </Field>
            )}
            <div className="flex justify-end gap-2">
              <Button onClick={() => setDraft(null)}>Cancel</Button>
              <Button kind="primary" type="submit" disabled={isBusy || !isSound}>
                Save
              </Button>
            </div>
          </form>
        </Dialog>
      )}
    </>
  );
}
