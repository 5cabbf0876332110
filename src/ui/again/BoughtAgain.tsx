'use client';

import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import type { AgainView } from '@/core/api';
import {
  api,
  Button,
  Curve,
  Dialog,
  Empty,
  Failed,
  fieldClass,
  ofBefore,
  percent,
  plural,
  sayCount,
  Table,
  type TableColumn,
} from '../kit';

type Line = AgainView['lines'][number];
type By = AgainView['by'];
const DAYS = [0, 30, 60, 90, 120, 180] as const;
const SPAN = 180;
const PARTS = [
  ['quarter', 'a quarter'],
  ['half', 'half'],
  ['most', 'three quarters'],
] as const;

/** After how many days people buy the same again: which they buy, how soon, and, where a wait is to be set, days to wait. */
export function BoughtAgain({ onUse }: { onUse?: (days: number) => void }) {
  const [by, setBy] = useState<By>('product');
  const [chosen, setChosen] = useState<{ key: string; name: string } | null>(null);
  const { data, error, refetch, isPlaceholderData } = useQuery({
    queryKey: ['again', by],
    queryFn: () => api<AgainView>(`/again?from=${PERIOD_FROM}&by=${by}`),
    placeholderData: (before) => before,
  });
  const one = useQuery({
    queryKey: ['again', by, chosen?.key],
    queryFn: () => api<AgainView>(`/again?from=${PERIOD_FROM}&by=${by}&key=${encodeURIComponent(chosen!.key)}`),
    enabled: chosen !== null,
  });
  // lines of the other split, shown until this one has come, are not to be chosen
  const columns = useMemo(() => columnsOf(by, isPlaceholderData ? null : setChosen), [by, isPlaceholderData]);
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return <Empty title="Counting…" />;
  const line = chosen && one.data?.lines.find(({ key }) => key === chosen.key);
  return (
    <div className="grid gap-4 p-4" {...ofBefore(isPlaceholderData)}>
      <p className="flex items-center gap-2">
        <label htmlFor="again-by">By</label>
        <select
          id="again-by"
          value={by}
          onChange={(event) => {
            setBy(event.target.value as By);
            setChosen(null);
          }}
          className={`${fieldClass} w-36`}
        >
          <option value="product">product</option>
          <option value="category">category</option>
        </select>
        <span className="text-sm text-soft">
          From each time it was bought to the next; who has not bought it again yet counts for as long as they were seen.
        </span>
      </p>
      {chosen && (
        <section className="rounded-md border border-line p-3" aria-label={chosen.name} aria-busy={one.isPending}>
          {one.error ? (
            <Failed error={one.error} retry={() => void one.refetch()} />
          ) : !line ? (
            <Empty title={one.isPending ? 'Counting…' : 'Nobody has bought it in this time'} />
          ) : (
            <Chosen line={line} onUse={onUse} />
          )}
        </section>
      )}
      {data.lines.length ? (
        <div className="max-h-96 overflow-auto">
          <Table name="When the same is bought again" rows={data.lines} columns={columns} keyOf={({ key }) => key} />
        </div>
      ) : (
        <Empty title="No orders whose products are known">They show here once orders come with their items.</Empty>
      )}
    </div>
  );
}

/** Two years back: long enough for what is bought once a season. */
const PERIOD_FROM = new Date(Date.now() - 730 * 86_400_000).toISOString().slice(0, 10);

function Chosen({ line, onUse }: { line: Line; onUse?: ((days: number) => void) | undefined }) {
  const { name, bought, again, seen, curve } = line;
  return (
    <div className={onUse ? 'grid gap-2' : 'grid grid-cols-[1fr_560px] gap-6'}>
      <div>
        <p>
          <b>{name}</b>: bought {plural(bought, 'time', 'times')}, {sayCount(again)} of them followed by another.{' '}
          {line.half === null
            ? 'Too few came back to say how long they take.'
            : `Of those who come back, a quarter have after ${line.quarter} days, half after ${line.half}, three quarters after ${line.most}.`}
        </p>
        {onUse && line.half !== null && (
          <p className="mt-2 flex flex-wrap items-center gap-2">
            Wait until{' '}
            {PARTS.map(([part, says]) => (
              <Button key={part} onClick={() => onUse(line[part]!)}>
                {says} have: {plural(line[part]!, 'day', 'days')}
              </Button>
            ))}
          </p>
        )}
      </div>
      <div>
        <Curve
          lines={[{ name: 'have bought it again', until: seen, steps: curve!.map(({ days: time, ...rest }) => ({ time, ...rest })) }]}
          span={SPAN}
          ticks={DAYS.map((day) => [day, String(day)] as const)}
          say={(day) => plural(day, 'day', 'days')}
          about="Share that has bought it again:"
          axis="Days since it was bought"
          name="bought-again"
          title={`${name}: share bought again, by days since it was bought`}
        />
      </div>
    </div>
  );
}

function columnsOf(by: By, choose: ((line: { key: string; name: string }) => void) | null): TableColumn<Line>[] {
  const days = (key: 'quarter' | 'half' | 'most', name: string): TableColumn<Line> => ({
    key,
    name,
    isNumber: true,
    unit: 'days',
    value: (line) => line[key],
    show: (line) => (line[key] === null ? <span className="text-soft">too few</span> : plural(line[key], 'day', 'days')),
  });
  return [
    {
      key: 'name',
      name: by === 'product' ? 'Product' : 'Category',
      value: (line) => line.name,
      show: (line) => (
        <button type="button" disabled={!choose} className="min-h-6 text-left text-accent hover:underline" onClick={() => choose?.(line)}>
          {line.name}
        </button>
      ),
    },
    { key: 'bought', name: 'Bought', isNumber: true, value: (line) => line.bought },
    { key: 'again', name: 'Again', isNumber: true, value: (line) => line.again },
    {
      key: 'within',
      name: 'Within 90 days',
      isNumber: true,
      unit: 'share',
      value: (line) => line.within.at(-1)?.share ?? null,
      show: (line) => {
        const last = line.within.at(-1);
        return last ? (
          `${percent(last.share)}${last.days === 90 ? '' : ` in ${last.days}`}`
        ) : (
          <span className="text-soft">not over yet</span>
        );
      },
    },
    days('quarter', 'A quarter by'),
    days('half', 'Half by'),
    days('most', 'Three quarters by'),
  ];
}

/** The same in front of a flow, to set how long it waits. */
export function AgainDialog({ onUse, onClose }: { onUse: (days: number) => void; onClose: () => void }) {
  return (
    <Dialog isOpen onClose={onClose} title="When do they buy it again?" width={820}>
      <BoughtAgain
        onUse={(days) => {
          onUse(days);
          onClose();
        }}
      />
    </Dialog>
  );
}
