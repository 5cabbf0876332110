'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Clock3, FastForward } from 'lucide-react';
import { useRouter } from 'next/navigation';
import { useEffect, useState } from 'react';
import { toast } from 'sonner';
import type { ClockView, MovedView } from '@/core/api';
import { DURATION_UNITS, joinDuration, sayDuration, type DurationUnit } from '@/core/time';
import { api, Button, Drop, fieldClass, inputClass, plural, sayMoment, sayShort, useStore } from '../kit';

export const MOVES: readonly string[] = ['PT10M', 'PT1H', 'PT6H', 'P1D', 'P7D'];

/** Moves store time forward and looks at everything anew. */
export function useMoveClock() {
  const client = useQueryClient();
  const router = useRouter();
  const store = useStore();
  const [isMoving, setMoving] = useState(false);
  const move = async (duration: string) => {
    if (isMoving) return;
    setMoving(true);
    const note = toast.loading(`Moving store time on by ${sayDuration(duration)}…`);
    try {
      let answer = await api<MovedView>('/clock', { method: 'POST', body: { advance: duration } });
      let count = answer.moved;
      while (!answer.isThere) {
        const [now, target] = [sayMoment(answer.now, store.zone), sayMoment(answer.target, store.zone)];
        toast.loading(`Store time is at ${now}, on its way to ${target}: ${plural(count, 'thing', 'things')} done so far…`, { id: note });
        answer = await api<MovedView>('/clock', { method: 'POST', body: { to: answer.target } });
        count += answer.moved;
      }
      const fell = count === 0 ? 'Nothing fell due.' : `${plural(count, 'thing fell due and was', 'things fell due and were')} done.`;
      toast.success(`Store time moved on by ${sayDuration(duration)}. ${fell}`, { id: note });
    } catch (error) {
      toast.error((error as Error).message, { id: note });
    } finally {
      setMoving(false);
      await client.invalidateQueries();
      router.refresh();
    }
  };
  return { move, isMoving };
}

/** Store time in the bar; in the demo it can be moved forward. */
export function Clock({ initial, canMove }: { initial: ClockView; canMove: boolean }) {
  const { data } = useQuery({
    queryKey: ['clock'],
    queryFn: () => api<ClockView>('/clock'),
    initialData: initial,
    refetchInterval: 30_000,
  });
  const [now, setNow] = useState<number | null>(null);
  const { move, isMoving } = useMoveClock();
  const [amount, setAmount] = useState('1');
  const [unit, setUnit] = useState<DurationUnit>('days');

  useEffect(() => {
    const tick = () => setNow(Date.now() + data.offsetMs);
    tick();
    const timer = setInterval(tick, 1000);
    return () => clearInterval(timer);
  }, [data.offsetMs]);

  const said = sayShort(now ?? data.now, data.zone);
  const face = (
    <span className="flex items-center gap-2">
      <Clock3 size={16} aria-hidden="true" />
      <time
        suppressHydrationWarning
        className="whitespace-nowrap font-mono text-sm tabular"
        dateTime={new Date(now ?? data.now).toISOString()}
      >
        {said}
      </time>
    </span>
  );
  if (!canMove)
    return (
      <div className="flex items-center px-3" title={`Store time, ${data.zone}`}>
        {face}
      </div>
    );
  const wish = Number(amount);
  const isSound = Number.isInteger(wish) && wish > 0 && wish <= 366;
  return (
    <Drop
      className="w-72 gap-3 p-4"
      button={
        <button
          type="button"
          aria-label={`Store time ${said}. Move it forward`}
          className="my-2 ml-1 flex items-center rounded-md border border-on-bar/40 px-2.5 hover:bg-on-bar/10"
          title={`Store time, ${data.zone}`}
          disabled={isMoving}
        >
          {face}
          <FastForward size={16} aria-hidden="true" className="ml-2" />
        </button>
      }
    >
      <div>
        <p className="font-semibold">Move store time forward</p>
        <p className="text-xs text-soft">Everything that falls due on the way happens at its moment. It cannot be moved back.</p>
      </div>
      <div className="flex flex-wrap gap-2">
        {MOVES.map((duration) => (
          <Button key={duration} disabled={isMoving} onClick={() => void move(duration)}>
            {sayDuration(duration)}
          </Button>
        ))}
      </div>
      <form
        className="flex gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (isSound) void move(joinDuration(wish, unit));
        }}
      >
        <input
          aria-label="How much"
          inputMode="numeric"
          value={amount}
          onChange={(event) => setAmount(event.target.value)}
          className={`${fieldClass} w-16`}
        />
        <select aria-label="Unit" value={unit} onChange={(event) => setUnit(event.target.value as DurationUnit)} className={inputClass}>
          {DURATION_UNITS.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
        <Button type="submit" kind="primary" disabled={isMoving || !isSound}>
          Move
        </Button>
      </form>
    </Drop>
  );
}
