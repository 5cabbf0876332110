'use client';

import { useState } from 'react';
import { toast } from 'sonner';
import type { FlowView } from '@/core/api';
import { sayBroadcast, type Broadcast } from '@/core/broadcasts';
import type { FlowDocument } from '@/core/flows';
import { localClock, localDate, MINUTE } from '@/core/time';
import { api, ApiError, Button, Dialog, useStore, useStoreTime } from '../kit';
import { Preflight, usePreflight } from '../flows';
import { useReach } from './WhoPart';

/** The next full minute by the clocks of a zone, as a schedule names it: now, for whoever sends. */
export function soon(now: number, zone: string): string {
  const at = now + 1.2 * MINUTE;
  const { minutes } = localClock(at, zone);
  const two = (n: number) => String(n).padStart(2, '0');
  return `${localDate(at, zone)}T${two(Math.floor(minutes / 60))}:${two(minutes % 60)}`;
}

/** The last look before a broadcast is let go: what will happen in one sentence, what is to be mended, and at its moment or now. */
export function LastLook({
  flow,
  broadcast,
  onClose,
  change,
  onStartNow,
  onDone,
  onShow,
}: {
  flow: FlowView;
  broadcast: Broadcast;
  onClose: () => void;
  change: (to: FlowDocument) => Promise<void>;
  /** sets its moment and stores that; answers with the flow as it is then */
  onStartNow: (starts: string) => Promise<FlowView>;
  onDone: (flow: FlowView) => void;
  onShow: (stepId: string) => void;
}) {
  const { zone } = useStore();
  const clock = useStoreTime();
  const [isNow, setNow] = useState(false);
  const [isBusy, setBusy] = useState(false);
  const reach = useReach(broadcast);
  const found = usePreflight(flow, true);
  const stops = (found.data?.findings ?? []).filter(({ severity, code }) => severity === 'stops' && !(isNow && code === 'time-gone-by'));
  const send = async () => {
    setBusy(true);
    try {
      const ready = isNow ? await onStartNow(soon(clock(), zone)) : flow;
      const done = await api<FlowView>(`/flows/${flow.key}/publish?inside=move`, {
        method: 'POST',
        headers: { 'if-match': `"${ready.revision}"` },
      });
      onDone(done);
      toast.success(isNow ? `“${done.name}” goes out within a minute.` : `“${done.name}” is planned.`, {
        description: isNow ? 'It can be stopped while it goes out.' : 'Until then it can be changed, moved or stopped.',
      });
    } catch (error) {
      toast.error(
        error instanceof ApiError && error.problem.errors?.length
          ? error.problem.errors.map((one) => one.wrong).join('. ')
          : (error as Error).message,
      );
    } finally {
      setBusy(false);
    }
  };
  return (
    <Dialog isOpen onClose={onClose} title={`A last look at “${flow.draft.name}”`} width={600}>
      <p data-testid="last-look" className="border-l-2 border-accent pl-3">
        {reach.data ? sayBroadcast(broadcast, reach.data.reachable, reach.data.people, zone, isNow) : 'Counting…'}
      </p>
      <div role="radiogroup" aria-label="When" className="grid gap-1">
        <label className="flex items-center gap-2">
          <input type="radio" checked={!isNow} onChange={() => setNow(false)} /> At its moment
        </label>
        <label className="flex items-center gap-2">
          <input type="radio" checked={isNow} onChange={() => setNow(true)} /> Now
        </label>
      </div>
      <Preflight preflight={found.data} error={found.error} document={flow.draft} change={change} onShow={onShow} />
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button kind="primary" disabled={isBusy || !reach.data || !found.data || stops.length > 0} onClick={() => void send()}>
          {isNow ? 'Send now' : 'Plan it'}
        </Button>
      </div>
    </Dialog>
  );
}
