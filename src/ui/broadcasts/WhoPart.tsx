'use client';

import { useQuery } from '@tanstack/react-query';
import { useDeferredValue } from 'react';
import type { ListView, ReachView, SegmentItem } from '@/core/api';
import { whoRule, type Broadcast } from '@/core/broadcasts';
import { partsOf, type Rule } from '@/core/rules';
import { api, Button, Failed, fieldClass, plural, sayCount } from '../kit';
import { RuleEditor } from '../rules';
import { Step } from './Step';

/** How many people an audience is now, how many of them can get a message, and why the others cannot. */
export function useReach(broadcast: Broadcast) {
  const { channel, kind, topic } = broadcast.contents[0]!.letter.message;
  const asked = useDeferredValue(JSON.stringify({ who: whoRule(broadcast), channel, kind, topic: topic ?? null }));
  return useQuery({
    queryKey: ['reach', asked],
    queryFn: () => api<ReachView>('/rules/reach', { method: 'POST', body: JSON.parse(asked) }),
    placeholderData: (before) => before,
    retry: false,
    staleTime: 20_000,
  });
}

type Change = (broadcast: Broadcast, tag: string) => void;

/** To whom it goes and to whom not, and what that comes to. */
export function WhoPart({ broadcast, change }: { broadcast: Broadcast; change: Change }) {
  const reach = useReach(broadcast);
  return (
    <Step title="Who">
      <Group words="Goes to" nobody="everybody" rules={broadcast.to} onChange={(to, tag) => change({ ...broadcast, to }, `to.${tag}`)} />
      <Group
        words="But not to"
        nobody="nobody is left out"
        rules={broadcast.without}
        onChange={(without, tag) => change({ ...broadcast, without }, `without.${tag}`)}
      />
      <Reached reach={reach.data} error={reach.error} retry={() => void reach.refetch()} isLooking={reach.isPlaceholderData} />
    </Step>
  );
}

/** Rules of which any has to hold: lists and segments by their names, and any other in its words. */
function Group({
  words,
  nobody,
  rules,
  onChange,
}: {
  words: string;
  nobody: string;
  rules: readonly Rule[];
  onChange: (rules: readonly Rule[], tag: string) => void;
}) {
  const lists = useQuery({ queryKey: ['lists'], queryFn: () => api<{ lists: ListView[] }>('/lists'), staleTime: 60_000 });
  const segments = useQuery({ queryKey: ['segments'], queryFn: () => api<{ segments: SegmentItem[] }>('/segments'), staleTime: 60_000 });
  const has = (rule: Rule) => rules.some((one) => JSON.stringify(one) === JSON.stringify(rule));
  const offered: [string, Rule][] = [
    ...(lists.data?.lists ?? []).map((one): [string, Rule] => [
      `List “${one.name}” (${sayCount(one.people)})`,
      { test: 'list', list: one.key, member: true },
    ]),
    ...(segments.data?.segments ?? []).map((one): [string, Rule] => [
      `Segment “${one.name}”${one.size === null ? '' : ` (${sayCount(one.size)})`}`,
      { test: 'segment', segment: one.key, member: true },
    ]),
  ].filter(([, rule]) => !has(rule as Rule)) as [string, Rule][];
  return (
    <section aria-label={words} className="grid gap-1.5">
      <div className="flex items-center justify-between gap-2">
        <h3 className="font-semibold">
          {words}
          {rules.length === 0 && <span className="font-normal text-soft">: {nobody}</span>}
        </h3>
        <span className="flex gap-1">
          {rules.length > 0 && (
            <Button kind="quiet" className="px-2 text-accent" onClick={() => onChange([], '')}>
              Remove all
            </Button>
          )}
          <select
            aria-label={`${words}: add`}
            value=""
            onChange={(event) => {
              const picked = event.target.value === 'own' ? null : offered[Number(event.target.value)]?.[1];
              onChange([...rules, picked ?? { test: 'attribute', name: 'country', op: 'is', value: 'NL' }], '');
            }}
            className={`${fieldClass} w-20`}
          >
            <option value="" disabled>
              Add…
            </option>
            {offered.map(([name], index) => (
              <option key={name} value={index}>
                {name}
              </option>
            ))}
            <option value="own">People of whom something holds</option>
          </select>
        </span>
      </div>
      {rules.length > 0 && (
        <RuleEditor
          rule={{ any: [...rules] }}
          onChange={(next, tag) => onChange('any' in next && next.named === undefined ? (partsOf(next) ?? []) : [next], tag)}
        />
      )}
    </section>
  );
}

function Reached({
  reach,
  error,
  retry,
  isLooking,
}: {
  reach: ReachView | undefined;
  error: Error | null;
  retry: () => void;
  isLooking: boolean;
}) {
  if (error && !reach) return <Failed error={error} retry={retry} />;
  if (!reach) return <p className="text-soft">Counting…</p>;
  const most = Math.max(1, reach.people);
  return (
    <section aria-label="How many" aria-busy={isLooking} aria-live="polite" className="grid gap-2 border-t border-line pt-3">
      <p>
        <b className="text-lg tabular">{sayCount(reach.reachable)}</b> can get it, of {plural(reach.people, 'person', 'people')} meant.
      </p>
      <div className="flex h-2 overflow-hidden rounded-sm bg-wash" aria-hidden="true">
        <span className="bg-good" style={{ width: `${(100 * reach.reachable) / most}%` }} />
      </div>
      {reach.leftOut.length > 0 && (
        <table className="w-full tabular">
          <caption className="pb-1 text-left text-xs text-soft">Who is left out, and why</caption>
          <tbody>
            {reach.leftOut.map(({ why, people, isAbout }) => (
              <tr key={why}>
                <th scope="row" className="py-0.5 pr-2 text-left font-normal">
                  {why}
                </th>
                <td className="py-0.5 text-right align-top">
                  {isAbout && 'about '}
                  {sayCount(people)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {reach.held && reach.held.people > 0 && (
        <p className="text-caution">
          {plural(reach.held.people, 'of them has', 'of them have')} got something within the last {reach.held.gap}, the least time between
          two messages: sent now, theirs would wait.
        </p>
      )}
    </section>
  );
}
