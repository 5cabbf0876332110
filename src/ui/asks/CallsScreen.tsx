'use client';

import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { toast } from 'sonner';
import type { CallsView, CallView, CodeHookView } from '@/core/api';
import {
  api,
  Ask,
  Button,
  Copied,
  Empty,
  Failed,
  Field,
  inputClass,
  isoOf,
  Label,
  Named,
  Page,
  Part,
  plural,
  sayMoment,
  Table,
  type TableColumn,
  useStore,
  wordsOf,
  Link,
} from '../kit';

const WORDS: { readonly [state in CallView['state']]: string } = { open: 'waits for an answer', failed: 'failed', done: 'answered' };
const TONES: { readonly [state in CallView['state']]: 'good' | 'caution' | 'stop' } = { open: 'caution', failed: 'stop', done: 'good' };

/** Calls that flows make to systems outside: what they are signed with, which wait, which have failed and can be made again. */
export function CallsScreen({ initial }: { initial: CallsView }) {
  const { zone } = useStore();
  const client = useQueryClient();
  const [secret, setSecret] = useState<string | null>(null);
  const [isReplacing, setReplacing] = useState(false);
  const { data, error, refetch } = useQuery({
    queryKey: ['calls'],
    queryFn: () => api<CallsView>('/calls'),
    initialData: initial,
    refetchInterval: 10_000,
  });
  const again = useMutation({
    mutationFn: (id: string) => api(`/calls/${id}/retry`, { method: 'POST' }),
    onSuccess: () => {
      toast.success('It is called again.');
      void client.invalidateQueries({ queryKey: ['calls'] });
    },
    onError: (failed) => toast.error(wordsOf(failed)),
  });
  const renew = useMutation({
    mutationFn: () => api<{ secret: string }>('/calls/secret', { method: 'POST' }),
    onSuccess: (made) => {
      setSecret(made.secret);
      void client.invalidateQueries({ queryKey: ['calls'] });
    },
    onError: (failed) => toast.error(wordsOf(failed)),
  });
  const call = again.mutate;
  const columns = useMemo<TableColumn<CallView>[]>(
    () => [
      {
        key: 'state',
        name: 'State',
        value: (one) => WORDS[one.state],
        show: (one) => <Label tone={TONES[one.state]}>{WORDS[one.state]}</Label>,
      },
      {
        key: 'flow',
        name: 'Flow and step',
        value: (one) => `${one.flow.name}, ${one.step}`,
        show: (one) => <Named href={`/flows/${one.flow.key}`} name={one.flow.name} below={one.step} />,
      },
      {
        key: 'person',
        name: 'About',
        value: (one) => one.person.name,
        show: (one) => (
          <Link href={`/people/${encodeURIComponent(one.person.id)}`} className="hover:underline">
            {one.person.name || one.person.id}
          </Link>
        ),
      },
      { key: 'asked', name: 'Asked', value: (one) => isoOf(one.askedAt), show: (one) => sayMoment(one.askedAt, zone) },
      { key: 'tries', name: 'Tries', isNumber: true, value: (one) => one.tries },
      {
        key: 'error',
        name: 'What came',
        value: (one) => one.error ?? '',
        show: (one) =>
          one.error ? (
            <span>
              The last try {one.error}
              {one.state === 'open' && `; tried until ${sayMoment(one.until, zone)}`}
            </span>
          ) : one.endedAt ? (
            sayMoment(one.endedAt, zone)
          ) : (
            ''
          ),
      },
      {
        key: 'acts',
        name: 'Acts',
        isActs: true,
        show: (one) =>
          one.state === 'failed' && (
            <Button changes="/calls" onClick={() => call(one.id)}>
              Call again
            </Button>
          ),
      },
    ],
    [zone, call],
  );
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  return (
    <Page title="Calls" about="Flows can call systems outside and go on with what they answer. What waits and what has failed stands here.">
      <div className="grid gap-4">
        <Part title="How calls are signed">
          <div className="grid gap-3 p-4">
            <p className="max-w-[640px]">
              Each call is a POST of JSON, signed by Standard Webhooks: whoever is called can tell that it comes from here, and by{' '}
              <code>webhook-id</code> that it has come before. It is tried until it is answered, or the time of its step is over.
            </p>
            {secret ? (
              <>
                <Copied text={secret} label="Secret" isBlock />
                <p className="text-caution">It is shown this once. From now on calls are signed with it.</p>
              </>
            ) : (
              <p className="text-soft">{data.hasSecret ? 'There is a secret; it is not shown again.' : 'There is no secret yet.'}</p>
            )}
            <Button
              changes="/calls"
              onClick={() => (data.hasSecret ? setReplacing(true) : renew.mutate())}
              disabled={renew.isPending}
              className="justify-self-start"
            >
              {data.hasSecret ? 'Replace the secret' : 'Create a secret'}
            </Button>
          </div>
        </Part>
        <CodeHook />
        <Part title={`Calls: ${plural(data.totals.open, 'waits', 'wait')}, ${data.totals.failed.toLocaleString('en-IE')} failed`}>
          <Table name="Calls" rows={data.calls} columns={columns} keyOf={(one) => one.id} />
          {!data.calls.length && <Empty title="No call yet">They come from flows with the step “Call a system”.</Empty>}
        </Part>
      </div>
      <Ask
        isOpen={isReplacing}
        onClose={() => setReplacing(false)}
        title="Replace the secret"
        about="Calls are signed with the new one at once: whoever is called refuses them until they know it, too."
        act="Replace it"
        isDanger
        onAct={() => renew.mutateAsync()}
      />
    </Page>
  );
}

/** Where the shop is told of each code that is issued, for shops that must know a code before it counts. */
function CodeHook() {
  const { zone } = useStore();
  const client = useQueryClient();
  const [typed, setTyped] = useState<string | null>(null);
  const { data } = useQuery({ queryKey: ['code-hook'], queryFn: () => api<CodeHookView>('/codes/hook') });
  const put = useMutation({
    mutationFn: (url: string) => api<CodeHookView>('/codes/hook', { method: 'PUT', body: { url: url.trim() || null } }),
    onSuccess: (now) => {
      client.setQueryData(['code-hook'], now);
      setTyped(null);
      toast.success(now.url ? 'The shop is told of each code from now on.' : 'The shop is not told of codes any more.');
    },
    onError: (failed) => toast.error(wordsOf(failed)),
  });
  const url = typed ?? data?.url ?? '';
  return (
    <Part title="Telling the shop of codes">
      <form
        className="grid gap-3 p-4"
        onSubmit={(event) => {
          event.preventDefault();
          put.mutate(url);
        }}
      >
        <p className="max-w-[640px]">
          A shop that must know a code before it counts is told of each as it is issued: <code>code.issued</code>, signed like a call, and
          tried for about two days. Codes that the shop has made itself are not told.
        </p>
        <div className="flex max-w-[640px] items-end gap-2">
          <div className="flex-1">
            <Field label="Address" hint="Left empty, nothing is told">
              <input
                value={url}
                placeholder="https://"
                maxLength={2000}
                onChange={(event) => setTyped(event.target.value)}
                className={inputClass}
              />
            </Field>
          </div>
          <Button changes="/calls" type="submit" className="mb-5" disabled={put.isPending || typed === null || typed === (data?.url ?? '')}>
            Save
          </Button>
        </div>
        {data?.failed && (
          <p role="alert" className="text-stop">
            {sayMoment(data.failed.at, zone)}: {data.failed.because}
          </p>
        )}
      </form>
    </Part>
  );
}
