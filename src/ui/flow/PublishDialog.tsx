'use client';

import { Dialog } from 'radix-ui';
import { useState } from 'react';
import { toast } from 'sonner';
import type { FlowView } from '@/core/api';
import { api, ApiError } from '../api';
import { plural } from '../format';
import { Button } from '../kit/form';

/** Before publishing: what changes, for whom, and the preflight. */
export function PublishDialog({ flow, isOpen, onOpenChange, onPublished, onShow }: { flow: FlowView; isOpen: boolean; onOpenChange: (open: boolean) => void; onPublished: (flow: FlowView) => void; onShow: (stepId: string) => void }) {
  const [isBusy, setBusy] = useState(false);
  const stops = flow.preflight.filter((finding) => finding.level === 'stops');
  const next = (flow.version ?? 0) + 1;
  const publish = async () => {
    setBusy(true);
    try {
      const done = await api<FlowView>(`/flows/${flow.key}/publish`, { method: 'POST' });
      onPublished(done);
      onOpenChange(false);
      toast.success(`Version ${done.version} of “${done.name}” is on.`);
    } catch (error) {
      toast.error(error instanceof ApiError && error.problem.errors?.length ? error.problem.errors.map((one) => one.wrong).join('. ') : (error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Dialog.Root open={isOpen} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/30" />
        <Dialog.Content className="fixed left-1/2 top-[8vh] z-50 grid max-h-[84vh] w-[560px] max-w-[94vw] -translate-x-1/2 gap-4 overflow-y-auto rounded-md border border-line bg-panel p-6">
          <Dialog.Title className="text-lg font-semibold">Publish version {next} of “{flow.draft.name}”</Dialog.Title>
          <Dialog.Description className="text-soft">
            {flow.version === null ? 'The flow is switched on. Only what happens from now on starts it.' : `Whoever enters from now on follows version ${next}.`}
            {flow.inside > 0 && ` ${plural(flow.inside, 'person who is', 'people who are')} inside now ${flow.inside === 1 ? 'stays' : 'stay'} on the version they are on.`}
            {flow.armed > 0 && ` ${plural(flow.armed, 'silence that lasts', 'silences that last')} at this moment will be judged by the new version.`}
          </Dialog.Description>
          <section>
            <h3 className="mb-1 font-semibold">What changes</h3>
            {flow.version === null ? <p className="text-soft">Everything is new.</p> : flow.changes.length ? (
              <ul className="grid gap-1">{flow.changes.map((change, index) => <li key={index} className="border-l-2 border-accent pl-2">{change.says}</li>)}</ul>
            ) : <p className="text-soft">Nothing: the draft is the version that is on.</p>}
          </section>
          <section>
            <h3 className="mb-1 font-semibold">Preflight</h3>
            {flow.preflight.length ? (
              <ul className="grid gap-2">
                {flow.preflight.map((finding, index) => (
                  <li key={index} className={`border-l-2 pl-2 ${finding.level === 'stops' ? 'border-stop' : 'border-caution'}`}>
                    <span className={`font-semibold ${finding.level === 'stops' ? 'text-stop' : 'text-caution'}`}>{finding.level === 'stops' ? 'Stops it' : 'Warns'}: </span>
                    {finding.says}
                    <span className="block text-soft">{finding.mend}{finding.stepId && <button type="button" className="ml-2 text-accent underline" onClick={() => { onShow(finding.stepId!); onOpenChange(false); }}>Show it</button>}</span>
                  </li>
                ))}
              </ul>
            ) : <p className="text-good">Nothing to mend.</p>}
          </section>
          <div className="flex justify-end gap-2">
            <Dialog.Close asChild><Button>Not yet</Button></Dialog.Close>
            <Button kind="primary" disabled={isBusy || stops.length > 0 || (flow.version !== null && !flow.changes.length && flow.state === 'on')} onClick={() => void publish()}>{isBusy ? 'Publishing…' : `Publish version ${next}`}</Button>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
