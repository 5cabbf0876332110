'use client';

import { useQueryClient } from '@tanstack/react-query';
import { Download } from 'lucide-react';
import type { WorkView } from '@/core/api';
import type { SpellingGroup } from '@/core/people';
import { sayName } from '@/core/rules';
import { Button, Empty, Failed, Page, Part, plural, Progress, sayCount, sayMoment, useStore, useWork, Link } from '../kit';

export interface Spelling {
  readonly index: number;
  readonly to: string;
  readonly groups: readonly SpellingGroup[];
}

/** One import: how far it is, what it found, its bad rows as a file, and the way back. */
export function ImportedScreen({ id }: { id: string }) {
  const store = useStore();
  const client = useQueryClient();
  const { data: work, error, refetch } = useWork(id, () => void client.invalidateQueries({ queryKey: ['people'] }));
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  if (!work) return <Empty title="Loading…" />;
  return (
    <Page
      title={work.name}
      back={{ href: '/data/files', name: 'Files' }}
      about={`Import of ${(work.detail.plan as { kind: string }).kind} by ${work.by}, ${sayMoment(work.createdAt, store.zone)}.`}
    >
      <Part title={work.detail.isDry ? 'Dry run' : 'Import'}>
        <div className="grid gap-3 p-4">
          <Progress work={work} noun="rows" />
          {(work.state === 'done' || work.state === 'undone') && <Findings work={work} />}
          {work.state === 'done' && !work.detail.isDry && (
            <p className="text-sm">
              <Link href="/people" className="text-accent underline">
                To the people
              </Link>
              {typeof work.detail.sourceKey === 'string' && (
                <>
                  {' '}
                  ·{' '}
                  <Link href={`/data/sources/${work.detail.sourceKey}`} className="text-accent underline">
                    The events as a source
                  </Link>
                </>
              )}
            </p>
          )}
        </div>
      </Part>
    </Page>
  );
}

const COUNTS: readonly (readonly [string, string, string])[] = [
  ['fresh', 'new person', 'new people'],
  ['known', 'person on file already', 'people on file already'],
  ['changed', 'of them changed', 'of them changed'],
  ['unclear', 'row that shares something with another', 'rows that share something with another'],
  ['accepted', 'event stored', 'events stored'],
  ['duplicates', 'there before, counts once', 'there before, count once'],
  ['consents', 'word on consent', 'words on consent'],
  ['tagged', 'tag', 'tags'],
  ['listed', 'put on the list', 'put on the list'],
];

/** What an import found: counts, bad rows, spellings of the same. */
export function Findings({ work, onRespell }: { work: WorkView; onRespell?: (spellings: readonly Spelling[]) => void }) {
  const { result } = work;
  const bad = Number(result.bad ?? 0);
  const spellings = (result.spellings as Spelling[] | undefined) ?? [];
  const undone = result.undone as Record<string, number> | undefined;
  return (
    <div className="grid gap-3" data-testid="findings">
      <ul className="flex flex-wrap gap-x-6 gap-y-1">
        <li>
          <b className="tabular">{sayCount(Number(result.rows ?? 0))}</b> {Number(result.rows) === 1 ? 'row' : 'rows'} read
        </li>
        {COUNTS.filter(([key]) => Number(result[key] ?? 0) > 0).map(([key, one, many]) => (
          <li key={key}>
            <b className="tabular">{sayCount(Number(result[key]))}</b> {Number(result[key]) === 1 ? one : many}
          </li>
        ))}
      </ul>
      {undone && (
        <p className="text-soft">
          Taken back:{' '}
          {Object.entries(undone)
            .map(([what, count]) => `${sayCount(count)} ${what}`)
            .join(', ')}
          .
        </p>
      )}
      {bad > 0 ? (
        <p className="flex items-center gap-3">
          <span className="font-semibold text-stop">
            {plural(bad, 'row is', 'rows are')} bad and {bad === 1 ? 'was' : 'were'} left out.
          </span>
          <a
            href={`/api/v1/works/${work.id}/bad-rows`}
            download
            className="inline-flex h-8 items-center gap-2 rounded-md border border-line px-3 font-semibold hover:bg-wash"
          >
            <Download size={16} aria-hidden="true" />
            Which, and why
          </a>
          <span className="text-sm text-soft">kept for 30 days</span>
        </p>
      ) : (
        <p className="text-good">No row is bad.</p>
      )}
      {spellings.map((one) => (
        <div key={one.index} className="rounded-md border border-line p-3">
          <p className="mb-1">
            <b>{sayName(one.to.replace(/^(attribute|property):/, ''))}</b>: these mean the same and are spelled differently.
          </p>
          <ul className="text-sm">
            {one.groups.slice(0, 8).map((group, index) => (
              <li key={index}>
                {group.variants.map((variant) => `“${variant.value}” (${sayCount(variant.count)})`).join(', ')} → <b>{group.keep}</b>{' '}
                <span className="text-soft">{group.because}</span>
              </li>
            ))}
          </ul>
          {one.groups.length > 8 && <p className="text-xs text-soft">and {plural(one.groups.length - 8, 'group', 'groups')} more</p>}
        </div>
      ))}
      {spellings.length > 0 && onRespell && (
        <div>
          <Button changes="/imports" onClick={() => onRespell(spellings)}>
            Map all of them in one go
          </Button>
        </div>
      )}
    </div>
  );
}
