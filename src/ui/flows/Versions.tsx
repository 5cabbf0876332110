'use client';

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { toast } from 'sonner';
import type { FlowView, VersionView } from '@/core/api';
import { api, attempt, Button, Dialog, Failed, isoOf, plural, sayMoment, useStore } from '../kit';

/** Which version is on; behind it all there have been, each with what it changed, and a way to have it back as the draft. */
export function Versions({ flow, onRestored }: { flow: FlowView; onRestored: (flow: FlowView) => void }) {
  const { zone } = useStore();
  const [isOpen, setOpen] = useState(false);
  const versions = useQuery({
    queryKey: ['versions', flow.key, flow.version],
    queryFn: () => api<{ versions: VersionView[] }>(`/flows/${flow.key}/versions`),
    enabled: isOpen,
  });
  const restore = (version: number) =>
    attempt(async () => {
      const before = flow.draft;
      const back = await api<FlowView>(`/flows/${flow.key}/versions/${version}/restore`, { method: 'POST' });
      onRestored(back);
      setOpen(false);
      toast.success(`Version ${version} is the draft again. Publish it to switch it on.`, {
        action: {
          label: 'Undo',
          onClick: () => void attempt(async () => onRestored(await api<FlowView>(`/flows/${flow.key}`, { method: 'PUT', body: before }))),
        },
      });
    });
  return (
    <>
      <button type="button" onClick={() => setOpen(true)} className="text-soft underline decoration-dotted hover:text-ink">
        Version {flow.version}
      </button>
      <Dialog
        isOpen={isOpen}
        onClose={() => setOpen(false)}
        title="Versions"
        about={`All that “${flow.name}” has been, the newest first.`}
        width={620}
      >
        {versions.error ? (
          <Failed error={versions.error} retry={() => void versions.refetch()} />
        ) : !versions.data ? (
          <p className="text-soft">Loading…</p>
        ) : (
          <ol className="grid gap-3">
            {versions.data.versions.map(({ version, at, by, changes, inside }) => (
              <li key={version} className="grid grid-cols-[1fr_auto] gap-3 border-l-2 border-line pl-3">
                <div>
                  <b>Version {version}</b>
                  {version === flow.version && <span className="text-good"> · {flow.state === 'on' ? 'on' : 'paused'}</span>}
                  <span className="block text-xs text-soft">
                    {sayMoment(isoOf(at), zone)}, by {by}
                    {inside > 0 && `; ${plural(inside, 'person is', 'people are')} inside on it`}
                  </span>
                  <ul className="text-sm">
                    {changes.map((change, index) => (
                      <li key={index}>{change.says}</li>
                    ))}
                  </ul>
                </div>
                <Button onClick={() => void restore(version)} aria-label={`Bring version ${version} back as the draft`}>
                  Restore
                </Button>
              </li>
            ))}
          </ol>
        )}
      </Dialog>
    </>
  );
}
