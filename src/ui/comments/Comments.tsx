'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { MessageSquare } from 'lucide-react';
import { useRef, useState } from 'react';
import type { CommentsView, CommentView } from '@/core/api';
import type { SpokenOf } from '@/core/comments';
import { api, areaClass, attempt, Button, Dialog, Empty, Failed, plural, sayShort, useStore } from '../kit';

/** What colleagues say of something, behind a button that tells how much is open. A part, such as a step, can be meant. */
export function Comments({
  kind,
  of,
  part = null,
  sayPart,
}: {
  kind: SpokenOf;
  of: string;
  part?: string | null;
  /** what a part is called; null for one that is gone */
  sayPart?: (part: string) => string | null;
}) {
  const [isOpen, setOpen] = useState(false);
  const place = ['comments', kind, of];
  const { data, error, refetch } = useQuery({
    queryKey: place,
    queryFn: () => api<CommentsView>(`/comments?kind=${kind}&key=${encodeURIComponent(of)}`),
    refetchInterval: isOpen ? 5_000 : 60_000,
  });
  const open = data?.comments.filter(({ done }) => !done).length ?? 0;
  return (
    <>
      <Button
        kind="quiet"
        className="px-2"
        aria-label={open ? `Comments, ${open} open` : 'Comments'}
        title={open ? plural(open, 'comment is open', 'comments are open') : 'Comments'}
        onClick={() => setOpen(true)}
      >
        <MessageSquare size={16} aria-hidden="true" />
        {open > 0 && <span className="tabular">{open}</span>}
      </Button>
      {isOpen && (
        <Dialog isOpen onClose={() => setOpen(false)} title="Comments" width={560}>
          {error && !data ? (
            <Failed error={error} retry={() => void refetch()} />
          ) : !data ? (
            <Empty title="Loading…" />
          ) : (
            <>
              {data.comments.length ? (
                <ul className="grid gap-3">
                  {data.comments.map((one) => (
                    <One key={one.id} one={one} place={place} {...(sayPart && { sayPart })} />
                  ))}
                </ul>
              ) : (
                <p className="text-soft">Nothing was said yet. Whoever is named with @ hears of it.</p>
              )}
              <Say kind={kind} of={of} part={part} team={data.team} place={place} partName={part && sayPart ? sayPart(part) : null} />
            </>
          )}
        </Dialog>
      )}
    </>
  );
}

function One({ one, place, sayPart }: { one: CommentView; place: readonly string[]; sayPart?: (part: string) => string | null }) {
  const { zone } = useStore();
  const client = useQueryClient();
  const [text, setText] = useState<string | null>(null);
  const change = (body: object | null) =>
    attempt(async () => {
      await api(`/comments/${one.id}`, body ? { method: 'PATCH', body } : { method: 'DELETE' });
      setText(null);
      await client.invalidateQueries({ queryKey: place });
    });
  const about = one.part === null ? null : (sayPart?.(one.part) ?? 'a part that is gone');
  return (
    <li className={one.done ? 'grid gap-1 border-l-2 border-line pl-3 text-soft' : 'grid gap-1 border-l-2 border-accent pl-3'}>
      <p className="text-xs text-soft">
        <b className="text-ink">{one.by}</b>, {sayShort(one.at, zone)}
        {about && <>, at {about}</>}
        {one.changedAt && ', reworded'}
        {one.done && `; settled by ${one.done.by}`}
      </p>
      {text === null ? (
        <p className="whitespace-pre-wrap break-words">{one.text}</p>
      ) : (
        <textarea
          aria-label="The comment"
          rows={3}
          maxLength={2000}
          value={text}
          onChange={(event) => setText(event.target.value)}
          className={areaClass}
        />
      )}
      <div className="-ml-2 flex gap-1 text-xs">
        {text !== null ? (
          <>
            <Button kind="quiet" className="h-6 px-2" disabled={!text.trim()} onClick={() => void change({ text })}>
              Save
            </Button>
            <Button kind="quiet" className="h-6 px-2" onClick={() => setText(null)}>
              Cancel
            </Button>
          </>
        ) : (
          <>
            <Button kind="quiet" className="h-6 px-2" onClick={() => void change({ isDone: !one.done })}>
              {one.done ? 'Open again' : 'Settle'}
            </Button>
            {one.isYours && (
              <>
                <Button kind="quiet" className="h-6 px-2" onClick={() => setText(one.text)}>
                  Edit
                </Button>
                <Button kind="quiet" className="h-6 px-2" onClick={() => void change(null)}>
                  Delete
                </Button>
              </>
            )}
          </>
        )}
      </div>
    </li>
  );
}

function Say({
  kind,
  of,
  part,
  partName,
  team,
  place,
}: {
  kind: SpokenOf;
  of: string;
  part: string | null;
  partName: string | null;
  team: readonly string[];
  place: readonly string[];
}) {
  const client = useQueryClient();
  const [text, setText] = useState('');
  const [isBusy, setBusy] = useState(false);
  const field = useRef<HTMLTextAreaElement>(null);
  // who is meant while a name is typed
  const typed = /@([\p{L} ]{0,40})$/u.exec(text)?.[1]?.toLowerCase();
  const offered = typed === undefined ? [] : team.filter((name) => name.toLowerCase().startsWith(typed) && name.toLowerCase() !== typed);
  const say = async () => {
    setBusy(true);
    await attempt(async () => {
      await api('/comments', { method: 'POST', body: { kind, key: of, text, part } });
      setText('');
      await client.invalidateQueries({ queryKey: place });
    });
    setBusy(false);
  };
  return (
    <form
      className="grid gap-2 border-t border-line pt-3"
      onSubmit={(event) => {
        event.preventDefault();
        void say();
      }}
    >
      <label className="grid gap-1">
        <span className="text-xs font-semibold text-soft">Your comment{partName && `, at ${partName}`}</span>
        <textarea
          ref={field}
          rows={3}
          maxLength={2000}
          value={text}
          placeholder="@ and a name tells a colleague"
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === 'Enter' && (event.ctrlKey || event.metaKey) && text.trim()) void say();
          }}
          className={areaClass}
        />
      </label>
      {offered.length > 0 && (
        <div role="group" aria-label="Whom do you mean?" className="flex flex-wrap gap-1">
          {offered.slice(0, 6).map((name) => (
            <Button
              key={name}
              className="h-6 px-2"
              onClick={() => {
                setText(`${text.slice(0, text.lastIndexOf('@') + 1)}${name} `);
                field.current?.focus();
              }}
            >
              {name}
            </Button>
          ))}
        </div>
      )}
      <div className="flex justify-end">
        <Button type="submit" kind="primary" disabled={isBusy || !text.trim()}>
          Comment
        </Button>
      </div>
    </form>
  );
}
