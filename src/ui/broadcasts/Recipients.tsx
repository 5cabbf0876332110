'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import type { Did, FlowView, RecipientsView } from '@/core/api';
import type { Rule } from '@/core/rules';
import { slugOf } from '@/core/text';
import { api, attempt, Button, Dialog, Empty, Failed, fieldClass, sayShort, Table, useStore, type TableColumn, Link } from '../kit';

const DID: { readonly [did in Did]: string } = {
  all: 'Everybody it was meant for',
  sent: 'Got it',
  opened: 'Opened it',
  'not-opened': 'Got it and did not open it',
  clicked: 'Clicked in it',
  bounced: 'It bounced',
  skipped: 'Did not get it',
  ordered: 'Ordered, credited to it',
};
/** What holds of those who did something with a flow's messages, where a rule can say it. */
const RULES: { readonly [did in Did]?: (flow: string) => Rule } = {
  sent: (flow) => did('message.sent', flow),
  opened: (flow) => did('message.opened', flow),
  'not-opened': (flow) => ({ all: [did('message.sent', flow), { ...did('message.opened', flow), test: 'didNot' } as Rule] }),
  clicked: (flow) => did('message.clicked', flow),
};
const did = (event: string, flow: string): Rule => ({
  test: 'did',
  event,
  where: [{ property: 'flow', op: 'is', value: flow }],
  since: 'ever',
});

type Recipient = RecipientsView['items'][number];

/** Who got it and what they did; as a file, and as a segment that goes on by itself. */
export function Recipients({
  flow,
  did: what,
  onDid,
  onClose,
}: {
  flow: FlowView;
  did: Did;
  onDid: (did: Did) => void;
  onClose: () => void;
}) {
  const { zone } = useStore();
  const router = useRouter();
  const client = useQueryClient();
  const [more, setMore] = useState<{ of: Did; items: readonly Recipient[]; next: string | null } | null>(null);
  const { data, error, refetch } = useQuery({
    queryKey: ['recipients', flow.key, what],
    queryFn: () => api<RecipientsView>(`/broadcasts/${flow.key}/people?did=${what}`),
  });
  const items = more?.of === what ? [...(data?.items ?? []), ...more.items] : (data?.items ?? []);
  const next = more?.of === what ? more.next : (data?.next ?? null);
  const rule = RULES[what]?.(flow.key);
  const columns: TableColumn<Recipient>[] = [
    {
      key: 'name',
      name: 'Person',
      value: (one) => one.name || one.email,
      show: (one) => (
        <Link href={`/people/${encodeURIComponent(one.person)}`} className="font-semibold hover:underline">
          {one.name || one.email || one.person}
        </Link>
      ),
    },
    { key: 'email', name: 'Address', value: (one) => one.email },
    { key: 'message', name: 'Message', value: (one) => one.message },
    {
      key: 'state',
      name: 'State',
      value: (one) => one.state,
      show: (one) => (
        <>
          {one.state}
          {one.reason && <span className="block text-xs text-soft">{one.reason}</span>}
        </>
      ),
    },
    { key: 'opened', name: 'Opened', value: (one) => one.openedAt, show: (one) => one.openedAt && sayShort(one.openedAt, zone) },
    { key: 'clicked', name: 'Clicked', value: (one) => one.clickedAt, show: (one) => one.clickedAt && sayShort(one.clickedAt, zone) },
    { key: 'ordered', name: 'Ordered', value: (one) => (one.ordered ? 'yes' : 'no') },
  ];
  return (
    <Dialog isOpen onClose={onClose} title={`Who did what: ${flow.name}`} width={1000}>
      <div className="flex items-center gap-2">
        <select aria-label="Who" value={what} onChange={(event) => onDid(event.target.value as Did)} className={`${fieldClass} w-64`}>
          {(Object.keys(DID) as Did[]).map((one) => (
            <option key={one} value={one}>
              {DID[one]}
            </option>
          ))}
        </select>
        <div className="flex-1" />
        {rule && (
          <Button
            onClick={() =>
              router.push(
                `/people/segments/new?name=${encodeURIComponent(`${DID[what]}: ${flow.name}`.slice(0, 80))}&rule=${encodeURIComponent(JSON.stringify(rule))}`,
              )
            }
          >
            Make a segment…
          </Button>
        )}
        <a
          href={`/api/v1/broadcasts/${flow.key}/people/file?did=${what}`}
          download={`${slugOf(flow.name) || 'people'}.csv`}
          className="inline-flex h-8 items-center rounded-md border border-line bg-panel px-3 font-semibold hover:bg-wash"
        >
          Save as CSV
        </a>
      </div>
      {error && !data ? (
        <Failed error={error} retry={() => void refetch()} />
      ) : !data ? (
        <Empty title="Loading…" />
      ) : items.length ? (
        <>
          <Table name="recipients" rows={items} keyOf={(one) => `${one.person} ${one.message}`} columns={columns} />
          {next && (
            <Button
              className="justify-self-start"
              onClick={() =>
                void attempt(async () => {
                  const page = await client.fetchQuery({
                    queryKey: ['recipients', flow.key, what, next],
                    queryFn: () => api<RecipientsView>(`/broadcasts/${flow.key}/people?did=${what}&before=${next}`),
                  });
                  setMore({ of: what, items: [...(more?.of === what ? more.items : []), ...page.items], next: page.next });
                })
              }
            >
              More
            </Button>
          )}
        </>
      ) : (
        <Empty title="Nobody" />
      )}
    </Dialog>
  );
}
