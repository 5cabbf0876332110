'use client';

import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { toast } from 'sonner';
import type { DirectoryView, FlowView } from '@/core/api';
import { matchingOf, type FlowDocument } from '@/core/flows';
import { sayRule, type Rule } from '@/core/rules';
import { api, ApiError, Button, Dialog, plural, sayShort, useStore } from '../kit';
import { DueChoice, useDue, type Due } from './Meanwhile';
import { Preflight, usePreflight } from './Preflight';

/** Where nobody belongs in a flow before anything happens. */
const byHand = '; whoever belongs in it already can be chosen under People and put into it';

/** Before publishing: what changes, for whom, and the preflight. */
export function PublishDialog({
  flow,
  isOpen,
  onOpenChange,
  onPublished,
  onShow,
  onReload,
  change,
}: {
  flow: FlowView;
  isOpen: boolean;
  onOpenChange: (open: boolean) => void;
  onPublished: (flow: FlowView) => void;
  onShow: (stepId: string) => void;
  onReload: () => void;
  change: (to: FlowDocument) => Promise<void>;
}) {
  const { zone } = useStore();
  const [isBusy, setBusy] = useState(false);
  const [inside, setInside] = useState<'stay' | 'move'>('stay');
  const [due, setDue] = useState<Due>('send');
  const [enter, setEnter] = useState<'new' | 'matching'>('new');
  const matching = useMemo(() => matchingOf(flow.draft), [flow.draft]);
  const meanwhile = useDue(flow, isOpen);
  const found = usePreflight(flow, isOpen);
  const stops = found.data ? found.data.findings.filter((one) => one.severity === 'stops').length : 1;
  const next = (flow.version ?? 0) + 1;
  const publish = async () => {
    setBusy(true);
    try {
      const done = await api<FlowView>(`/flows/${flow.key}/publish?inside=${inside}&due=${due}&enter=${enter}`, {
        method: 'POST',
        headers: { 'if-match': `"${flow.revision}"` },
      });
      onPublished(done);
      onOpenChange(false);
      toast.success(`Version ${done.version} of “${done.name}” is on.`, { description: sayNext(done, zone), duration: 12_000 });
    } catch (error) {
      if (error instanceof ApiError && error.status === 409)
        toast.error(error.message, { duration: 15_000, action: { label: 'Load it again', onClick: onReload } });
      else
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
    <Dialog
      isOpen={isOpen}
      onClose={() => onOpenChange(false)}
      title={`Publish version ${next} of “${flow.draft.name}”`}
      width={560}
      about={
        <>
          {flow.version === null
            ? `The flow is switched on. Only what happens from now on starts it${matching ? '' : byHand}.`
            : `Whoever enters from now on follows version ${next}.`}
          {flow.armed > 0 &&
            ` ${plural(flow.armed, 'silence that lasts', 'silences that last')} at this moment will be judged by the new version.`}
        </>
      }
    >
      <section>
        <h3 className="mb-1 font-semibold">What changes</h3>
        {flow.version === null ? (
          <p className="text-soft">Everything is new.</p>
        ) : flow.changes.length ? (
          <ul className="grid gap-1">
            {flow.changes.map((change, index) => (
              <li key={index} className="border-l-2 border-accent pl-2">
                {change.says}
              </li>
            ))}
          </ul>
        ) : (
          <p className="text-soft">Nothing: the draft is the version that is on.</p>
        )}
      </section>
      {flow.version !== null && flow.inside > 0 && <Inside flow={flow} inside={inside} onChange={setInside} />}
      {matching && isOpen && <Entering rule={matching} value={enter} onChange={setEnter} />}
      {meanwhile.data && meanwhile.data.people > 0 && <DueChoice due={meanwhile.data} value={due} onChange={setDue} />}
      <Preflight
        preflight={found.data}
        error={found.error}
        document={flow.draft}
        change={change}
        onShow={(id) => {
          onShow(id);
          onOpenChange(false);
        }}
      />
      <div className="flex justify-end gap-2">
        <Button onClick={() => onOpenChange(false)}>Cancel</Button>
        <Button
          kind="primary"
          disabled={isBusy || stops > 0 || (flow.version !== null && !flow.changes.length && flow.state === 'on')}
          onClick={() => void publish()}
        >
          {isBusy ? 'Publishing…' : `Publish version ${next}`}
        </Button>
      </div>
    </Dialog>
  );
}

/** What happens next: how many enter now, and when the first message goes out. */
function sayNext({ entering, first }: FlowView, zone: string): string {
  return [
    entering ? `${plural(entering.people, 'person enters', 'people enter')} now.` : 'It begins with the next person for whom it starts.',
    first ? `Who begins now gets “${first.name}” on ${sayShort(first.at, zone)}, if nothing keeps it back.` : '',
  ]
    .filter(Boolean)
    .join(' ');
}

/** Whether those enter, too, who belong in the flow already: the choice, with how many they are. */
function Entering({ rule, value, onChange }: { rule: Rule; value: 'new' | 'matching'; onChange: (value: 'new' | 'matching') => void }) {
  const { currency } = useStore();
  const { data, error } = useQuery({
    queryKey: ['audience', rule],
    queryFn: () => api<DirectoryView>(`/people?limit=0&rule=${encodeURIComponent(JSON.stringify(rule))}`),
    retry: false,
  });
  const many = data ? plural(data.total ?? 0, 'person', 'people') : error ? 'those' : 'counting…';
  return (
    <section className="grid gap-1">
      <h3 className="font-semibold">Who enters</h3>
      {(
        [
          ['new', 'Only those for whom it begins from now on', null],
          ['matching', `Those who belong in it already, too: ${many}`, sayRule(rule, { currency })],
        ] as const
      ).map(([way, words, more]) => (
        <label key={way} className="grid grid-cols-[auto_1fr] gap-x-2">
          <input type="radio" name="enter" checked={value === way} onChange={() => onChange(way)} className="mt-1" />
          <span>
            {words}
            {more && (
              <span className="block text-xs text-soft">
                {more}. Who has been in it before comes in again as it is said under “May start”.
              </span>
            )}
          </span>
        </label>
      ))}
    </section>
  );
}

/** What becomes of those who are inside: the choice, with its numbers. */
function Inside({ flow, inside, onChange }: { flow: FlowView; inside: 'stay' | 'move'; onChange: (inside: 'stay' | 'move') => void }) {
  const { same, on, end } = flow.moves;
  const parts = [
    same && `${plural(same, 'goes on', 'go on')} where they are`,
    on && `${plural(on, 'goes on', 'go on')} at the next step that is still there`,
    end && `for ${plural(end, 'person', 'people')} no step is left`,
  ].filter(Boolean);
  return (
    <section className="grid gap-1">
      <h3 className="font-semibold">{plural(flow.inside, 'person is inside', 'people are inside')}</h3>
      {(
        [
          ['stay', 'stay on the version they are on', null],
          ['move', 'move to the new version', `${parts.join(', ')}. What they have got already does not go out again.`],
        ] as const
      ).map(([way, words, more]) => (
        <label key={way} className="grid grid-cols-[auto_1fr] gap-x-2">
          <input type="radio" name="inside" checked={inside === way} onChange={() => onChange(way)} className="mt-1" />
          <span>
            They {words}
            {more && <span className="block text-xs text-soft">{more}</span>}
          </span>
        </label>
      ))}
    </section>
  );
}
