'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useRef, useState } from 'react';
import type { SourceView } from '@/core/api';
import {
  api,
  Ask,
  Button,
  Copied,
  Empty,
  Failed,
  Field,
  inputClass,
  Label,
  NotKnown,
  Page,
  plural,
  sayCount,
  sayMoment,
  tdClass,
  thClass,
  useStore,
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
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  const all = data?.sources ?? [];
  // what is revoked, and files and forms, which have pages of their own, stand behind
  const shown = all.filter((one) => isWhole || (!one.revokedAt && one.kind !== 'file' && one.kind !== 'form'));
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
          <Button kind="primary" onClick={() => setMaking(true)}>
            <Plus size={16} aria-hidden="true" />
            New source
          </Button>
        </>
      }
    >
      <div className="overflow-x-auto rounded-md border border-line bg-panel">
        <table className="w-full">
          <thead className="border-b border-line text-xs text-soft">
            <tr>
              <th scope="col" className={thClass}>
                Source
              </th>
              <th scope="col" className={thClass}>
                Kind
              </th>
              <th scope="col" className={`${thClass} text-right`}>
                Events, last hour
              </th>
              <th scope="col" className={`${thClass} text-right`}>
                Events, 24 hours
              </th>
              <th scope="col" className={`${thClass} text-right`}>
                Rejected, 24 hours
              </th>
              <th scope="col" className={`${thClass} text-right`}>
                Last used
              </th>
            </tr>
          </thead>
          <tbody>
            {shown.map((one) => (
              <tr
                key={one.key}
                className="cursor-pointer border-b border-line last:border-0 hover:bg-wash"
                onClick={() => router.push(`/data/sources/${one.key}`)}
              >
                <td className={tdClass}>
                  <Link
                    href={`/data/sources/${one.key}`}
                    className="font-semibold hover:underline"
                    onClick={(event) => event.stopPropagation()}
                  >
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
                        {one.hint} · may{' '}
                        {one.scopes.map((scope) => ({ events: 'send events', read: 'read', write: 'write' })[scope]).join(', ')}
                      </span>
                    ) : (
                      one.sites.join(', ')
                    )}
                  </div>
                </td>
                <td className={tdClass}>{KIND_WORDS[one.kind]}</td>
                <td className={`${tdClass} num`}>{sayCount(one.lastHour)}</td>
                <td className={`${tdClass} num`}>{sayCount(one.lastDay)}</td>
                <td className={`${tdClass} num ${one.rejectedDay ? 'font-semibold text-stop' : 'text-soft'}`}>
                  {sayCount(one.rejectedDay)}
                </td>
                <td className={`${tdClass} num`}>
                  {one.kind === 'own' || one.kind === 'hand' || one.kind === 'form' ? (
                    ''
                  ) : one.lastUsedAt ? (
                    sayMoment(one.lastUsedAt, store.zone)
                  ) : (
                    <NotKnown what="never" />
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {data && !shown.length && <Empty title="No source yet">Make an API key for the shop, or a webhook.</Empty>}
        {!data && <Empty title="Loading…" />}
      </div>
      <p className="mt-2 text-xs text-soft">{plural(all.length, 'source', 'sources')} in all.</p>
      {isMaking && <MakeSource onClose={() => setMaking(false)} onMade={(key) => router.push(`/data/sources/${key}`)} />}
    </Page>
  );
}

function MakeSource({ onClose, onMade }: { onClose: () => void; onMade: (key: string) => void }) {
  const client = useQueryClient();
  const [kind, setKind] = useState<Kind>('key');
  const [name, setName] = useState('');
  const [scopes, setScopes] = useState<string[]>(['events']);
  const [sites, setSites] = useState('');
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
  const isReady = Boolean(name.trim()) && (kind !== 'key' || scopes.length > 0) && (kind !== 'snippet' || Boolean(sites.trim()));
  return (
    <Ask
      isOpen
      onClose={() => !madeNow.current && onClose()}
      title="New source"
      act="Create"
      canAct={isReady}
      onAct={async () => {
        const answer = await api<{ source: SourceView; shownOnce: string | null }>('/sources', {
          method: 'POST',
          body: {
            kind,
            name,
            ...(kind === 'key' && { scopes }),
            ...(kind === 'snippet' && { sites: sites.split(/[\s,]+/).filter(Boolean) }),
          },
        });
        await client.invalidateQueries({ queryKey: ['sources'] });
        madeNow.current = true;
        if (answer.shownOnce) setMade({ source: answer.source, shownOnce: answer.shownOnce });
        else onMade(answer.source.key);
      }}
    >
      <div role="radiogroup" aria-label="Kind of source" className="grid gap-1">
        {MAKE.map(([one, title, about]) => (
          <label key={one} className={`flex cursor-pointer gap-3 rounded-md border p-3 ${kind === one ? 'border-accent' : 'border-line'}`}>
            <input type="radio" name="kind" checked={kind === one} onChange={() => setKind(one)} className="mt-1" />
            <span>
              <b>{title}</b>
              <span className="block text-sm text-soft">{about}</span>
            </span>
          </label>
        ))}
      </div>
      <Field label="Name">
        <input
          value={name}
          maxLength={80}
          placeholder="Shop server"
          onChange={(event) => setName(event.target.value)}
          className={inputClass}
        />
      </Field>
      {kind === 'key' && (
        <fieldset className="grid gap-1">
          <legend className="mb-1 text-xs font-semibold text-soft">It may</legend>
          {[
            ['events', 'send events'],
            ['read', 'read people, flows and figures'],
            ['write', 'change people, flows and settings'],
          ].map(([scope, words]) => (
            <label key={scope} className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={scopes.includes(scope!)}
                onChange={(event) => setScopes(event.target.checked ? [...scopes, scope!] : scopes.filter((one) => one !== scope))}
              />
              {words}
            </label>
          ))}
        </fieldset>
      )}
      {kind === 'snippet' && (
        <Field label="Sites whose pages may send" hint="Addresses with spaces between, such as https://shop.example">
          <input value={sites} onChange={(event) => setSites(event.target.value)} className={inputClass} />
        </Field>
      )}
    </Ask>
  );
}
