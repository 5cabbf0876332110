'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { useRouter } from 'next/navigation';
import { useMemo, useRef, useState } from 'react';
import { useWatch } from 'react-hook-form';
import * as z from 'zod';
import { sourceInput, type SourceView } from '@/core/api';
import { SCOPES } from '@/core/sources';
import { cardColumn, useCards } from '../cards';
import {
  api,
  Ask,
  Button,
  Copied,
  Empty,
  Entry,
  Failed,
  isoOf,
  Label,
  NotKnown,
  Page,
  plural,
  sayCount,
  sayMoment,
  Table,
  type TableColumn,
  useAsked,
  useStore,
  Link,
} from '../kit';

export const KIND_WORDS: Record<SourceView['kind'], string> = {
  own: 'Viatic itself',
  hand: 'by hand',
  key: 'API key',
  webhook: 'signed webhook',
  snippet: 'page snippet',
  form: 'form',
  file: 'file',
};
type Kind = 'key' | 'webhook' | 'snippet';
const MAKE: readonly (readonly [Kind, string, string])[] = [
  ['key', 'API key', 'For the shop’s server or the app’s: it sends events, reads or writes through the public interface.'],
  ['webhook', 'Signed webhook', 'For a system that posts JSON of its own shape: choose by pointing which field is what.'],
  ['snippet', 'Page snippet', 'For the shop’s pages: page views, products, carts and exits, under 3 kB.'],
];

const SCOPE_WORDS: Record<string, string> = { events: 'send events', read: 'read', write: 'write' };
/** these say of themselves when they were used */
const ARE_USED: readonly SourceView['kind'][] = ['key', 'webhook', 'snippet', 'file'];

const columnsOf = (zone: string): TableColumn<SourceView>[] => [
  {
    key: 'name',
    name: 'Source',
    value: (one) => one.name,
    show: (one) => (
      <>
        <Link href={`/data/sources/${one.key}`} className="font-semibold hover:underline">
          {one.name}
        </Link>
        {one.revokedAt && (
          <span className="ml-2">
            <Label tone="stop">revoked</Label>
          </span>
        )}
        <div className="text-xs text-soft">
          {one.kind === 'key' ? (
            <span className="font-mono">
              {one.hint} · may {one.scopes.map((scope) => SCOPE_WORDS[scope]).join(', ')}
            </span>
          ) : (
            one.sites.join(', ')
          )}
        </div>
      </>
    ),
  },
  { key: 'kind', name: 'Kind', value: (one) => KIND_WORDS[one.kind] },
  { key: 'hour', name: 'Events, last hour', isNumber: true, value: (one) => one.lastHour },
  { key: 'day', name: 'Events, 24 hours', isNumber: true, value: (one) => one.lastDay },
  {
    key: 'rejected',
    name: 'Rejected, 24 hours',
    isNumber: true,
    value: (one) => one.rejectedDay,
    show: (one) => <span className={one.rejectedDay ? 'font-semibold text-stop' : 'text-soft'}>{sayCount(one.rejectedDay)}</span>,
  },
  {
    key: 'used',
    name: 'Last used',
    isNumber: true,
    value: (one) => (ARE_USED.includes(one.kind) && one.lastUsedAt ? isoOf(one.lastUsedAt) : null),
    show: (one) => {
      if (!ARE_USED.includes(one.kind)) return '';
      return one.lastUsedAt ? sayMoment(one.lastUsedAt, zone) : <NotKnown what="never" />;
    },
  },
];

/** Where events come from, with what each brought lately. */
export function SourcesScreen() {
  const store = useStore();
  const router = useRouter();
  const { data, error, refetch } = useQuery({
    queryKey: ['sources'],
    queryFn: () => api<{ sources: SourceView[] }>('/sources'),
    refetchInterval: 5_000,
  });
  const [isMaking, setMaking] = useState(false);
  const [isWhole, setWhole] = useState(false);
  const cards = useCards('source');
  const columns = useMemo(() => [...columnsOf(store.zone), cardColumn<SourceView>(cards, ({ key }) => key)], [store.zone, cards]);
  // what is revoked, and files and forms, which have pages of their own, stand behind
  const shown = useMemo(
    () => (data?.sources ?? []).filter((one) => isWhole || (!one.revokedAt && one.kind !== 'file' && one.kind !== 'form')),
    [data, isWhole],
  );
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  return (
    <Page
      title="Sources"
      about={
        <>Where events come from. Start by sending a test event and looking for it: did it arrive, whose is it, what did it set off.</>
      }
      acts={
        <>
          <label className="flex items-center gap-2 text-sm">
            <input type="checkbox" checked={isWhole} onChange={(event) => setWhole(event.target.checked)} />
            Files, forms and revoked ones too
          </label>
          <Button changes="/sources" kind="primary" onClick={() => setMaking(true)}>
            <Plus size={16} aria-hidden="true" />
            New source
          </Button>
        </>
      }
    >
      <div className="rounded-md border border-line bg-panel">
        <Table name="Sources" rows={shown} columns={columns} keyOf={(one) => one.key} hrefOf={(one) => `/data/sources/${one.key}`} />
        {data && !shown.length && <Empty title="No source yet">Make an API key for the shop, or a webhook.</Empty>}
        {!data && <Empty title="Loading…" />}
      </div>
      <p className="mt-2 text-xs text-soft">{plural(data?.sources.length ?? 0, 'source', 'sources')} in all.</p>
      {isMaking && <MakeSource onClose={() => setMaking(false)} onMade={(key) => router.push(`/data/sources/${key}`)} />}
    </Page>
  );
}

/** A new source as it is typed: sites with spaces between, and only what its kind has is handed on. */
const typedSource = z
  .strictObject({ kind: z.enum(['key', 'webhook', 'snippet']), name: z.string(), scopes: z.array(z.enum(SCOPES)), sites: z.string() })
  .transform(({ kind, name, scopes, sites }, said) => {
    const read = sourceInput.safeParse({
      kind,
      name,
      ...(kind === 'key' && { scopes }),
      ...(kind === 'snippet' && { sites: sites.split(/[\s,]+/).filter(Boolean) }),
    });
    if (read.success) return read.data;
    // a site that is none is wrong in the one field in which all of them are typed
    for (const issue of read.error.issues)
      said.issues.push({ ...issue, path: issue.path.slice(0, 1), input: sites } as z.core.$ZodRawIssue);
    return z.NEVER;
  });

function MakeSource({ onClose, onMade }: { onClose: () => void; onMade: (key: string) => void }) {
  const client = useQueryClient();
  const form = useAsked(typedSource, { name: '', kind: 'key', scopes: ['events'], sites: '' });
  const kind = useWatch({ control: form.control, name: 'kind' });
  const madeNow = useRef(false);
  const [made, setMade] = useState<{ source: SourceView; shownOnce: string } | null>(null);
  if (made) {
    return (
      <Ask
        isOpen
        onClose={() => onMade(made.source.key)}
        title={
          made.source.kind === 'key'
            ? 'Your new key'
            : made.source.kind === 'webhook'
              ? 'The webhook’s secret'
              : 'The secret for your server'
        }
        act="Done"
        onAct={async () => onMade(made.source.key)}
        about={
          made.source.kind === 'key'
            ? 'It is shown this once. What is kept of a key is a digest, so nobody can show it again.'
            : made.source.kind === 'webhook'
              ? 'It is shown this once. The sender signs with it; another one can be made at any time.'
              : 'It is shown this once. Your server signs with it who is at a page; it belongs into no page. Another one can be made at any time.'
        }
      >
        <Copied text={made.shownOnce} label={made.source.kind === 'key' ? 'key' : 'secret'} />
      </Ask>
    );
  }
  return (
    <Ask
      isOpen
      onClose={() => !madeNow.current && onClose()}
      title="New source"
      act="Create"
      form={form}
      onAct={async (body) => {
        const answer = await api<{ source: SourceView; shownOnce: string | null }>('/sources', { method: 'POST', body });
        await client.invalidateQueries({ queryKey: ['sources'] });
        madeNow.current = true;
        if (answer.shownOnce) setMade({ source: answer.source, shownOnce: answer.shownOnce });
        else onMade(answer.source.key);
      }}
    >
      <div role="radiogroup" aria-label="Kind of source" className="grid gap-1">
        {MAKE.map(([one, title, about]) => (
          <label key={one} className={`flex cursor-pointer gap-3 rounded-md border p-3 ${kind === one ? 'border-accent' : 'border-line'}`}>
            <input type="radio" value={one} {...form.register('kind')} className="mt-1" />
            <span>
              <b>{title}</b>
              <span className="block text-sm text-soft">{about}</span>
            </span>
          </label>
        ))}
      </div>
      <Entry form={form} name="name" label="Name" maxLength={80} placeholder="Shop server" />
      {kind === 'key' && (
        <fieldset className="grid gap-1">
          <legend className="mb-1 text-xs font-semibold text-soft">It may</legend>
          {[
            ['events', 'send events'],
            ['read', 'read people, flows and figures'],
            ['write', 'change people, flows and settings'],
          ].map(([scope, words]) => (
            <label key={scope} className="flex items-center gap-2">
              <input type="checkbox" value={scope} {...form.register('scopes')} />
              {words}
            </label>
          ))}
        </fieldset>
      )}
      {kind === 'snippet' && (
        <Entry
          form={form}
          name="sites"
          label="Sites whose pages may send"
          hint="Addresses with spaces between, such as https://shop.example"
        />
      )}
    </Ask>
  );
}
