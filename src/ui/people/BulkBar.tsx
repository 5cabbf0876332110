'use client';

import { useQueryClient } from '@tanstack/react-query';
import { ChevronDown, X } from 'lucide-react';
import { useState } from 'react';
import type { BulkAct, WorkView } from '@/core/api';
import { api, Button, Menu, plural, Progress, useWork } from '../kit';
import { BulkDialog } from './BulkDialogs';

/** Who is chosen: some by their numbers, or all that match. */
export type Chosen = { readonly kind: 'some'; readonly ids: ReadonlySet<string> } | { readonly kind: 'all' };

type Kind = BulkAct['act'];
const ACTS: readonly (readonly [Kind, string])[] = [
  ['tag', 'Tag'],
  ['list', 'Add to a list'],
  ['set', 'Set an attribute'],
  ['start', 'Start a flow'],
];
/** The rarer ones, in a menu. */
const MORE_ACTS: readonly (readonly [Kind, string])[] = [
  ['untag', 'Remove a tag'],
  ['unlist', 'Remove from a list'],
  ['consent', 'Enter consent'],
  ['suppress', 'Suppress'],
  ['erase', 'Erase'],
];

/** Acts on everybody who is chosen: asked with the count, followed while it runs, undone where that is possible. */
export function BulkBar({
  chosen,
  total,
  who,
  onChosen,
}: {
  chosen: Chosen;
  total: number;
  who: string;
  onChosen: (chosen: Chosen) => void;
}) {
  const client = useQueryClient();
  const [kind, setKind] = useState<Kind | null>(null);
  const [workId, setWorkId] = useState<string | null>(null);
  const work = useWork(workId, () => {
    for (const key of ['people', 'tags', 'lists', 'attributes']) void client.invalidateQueries({ queryKey: [key] });
  });
  const count = chosen.kind === 'all' ? total : chosen.ids.size;
  if (!count && !work.data) return null;
  return (
    <div className="mb-3 grid gap-2 rounded-md border border-line bg-panel px-3 py-2">
      {count > 0 && (
        <div className="flex items-center gap-2">
          <span className="mr-2 whitespace-nowrap font-semibold" data-testid="chosen-count">
            {plural(count, 'person', 'people')} chosen
          </span>
          {chosen.kind === 'some' && count < total && (
            <button type="button" className="mr-2 whitespace-nowrap text-accent underline" onClick={() => onChosen({ kind: 'all' })}>
              All {plural(total, 'person', 'people')} that match
            </button>
          )}
          <div className="flex min-w-0 flex-1 gap-1">
            {ACTS.map(([act, name]) => (
              <Button changes="/bulk" key={act} kind="quiet" onClick={() => setKind(act)}>
                {name}
              </Button>
            ))}
            <a
              className="inline-flex h-8 items-center rounded-md px-3 font-semibold hover:bg-wash"
              href={`/api/v1/exports?what=people&format=csv&${chosen.kind === 'all' ? who : `ids=${[...chosen.ids].join(',')}`}`}
              download
            >
              Export
            </a>
            <Menu
              align="start"
              groups={[
                MORE_ACTS.map(([act, name]) => ({
                  name,
                  takes: act === 'erase' || act === 'suppress',
                  onSelect: () => setKind(act),
                })),
              ]}
            >
              <Button changes="/bulk" kind="quiet">
                More
                <ChevronDown size={16} aria-hidden="true" />
              </Button>
            </Menu>
          </div>
          <Button kind="quiet" aria-label="Choose nobody" onClick={() => onChosen({ kind: 'some', ids: new Set() })}>
            <X size={16} aria-hidden="true" />
          </Button>
        </div>
      )}
      {work.data && (
        <div className="flex items-center gap-2">
          <div className="flex-1">
            <Progress work={work.data} noun="people" />
          </div>
          {work.data.state !== 'running' && work.data.state !== 'waiting' && (
            <Button kind="quiet" aria-label="Close the note" onClick={() => setWorkId(null)}>
              <X size={16} aria-hidden="true" />
            </Button>
          )}
        </div>
      )}
      {kind && (
        <BulkDialog
          key={kind}
          kind={kind}
          name={[...ACTS, ...MORE_ACTS].find(([act]) => act === kind)![1]}
          count={count}
          onClose={() => setKind(null)}
          onStart={async (act) => {
            const started = await api<WorkView>('/bulk', {
              method: 'POST',
              body: { do: act, who: chosen.kind === 'all' ? who : `ids=${[...chosen.ids].join(',')}`, count },
            });
            setWorkId(started.id);
            onChosen({ kind: 'some', ids: new Set() });
          }}
        />
      )}
    </div>
  );
}
