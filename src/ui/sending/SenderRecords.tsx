'use client';

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { SenderRecordsView } from '@/core/api';
import { api, Button, Copied, Dialog, Empty, Failed, Label } from '../kit';

type Found = SenderRecordsView['records'][number];
const FOR: { readonly [kind in Found['kind']]: { readonly name: string; readonly says: string } } = {
  dkim: { name: 'Signature (DKIM)', says: 'Receivers see by it that a letter is yours and was not changed on its way.' },
  spf: { name: 'Who may send (SPF)', says: 'It lets us send in the name of your domain.' },
  dmarc: { name: 'What to do with others (DMARC)', says: 'It tells receivers what becomes of letters in your name that are not signed.' },
};

/** A button that opens which records the DNS of a sender's domain is to have, and how each stands. */
export function SenderRecords({ of, name }: { of: string; name: string }) {
  const [isOpen, setOpen] = useState(false);
  const { data, error, refetch, isFetching } = useQuery({
    queryKey: ['sender-records', of],
    queryFn: () => api<SenderRecordsView>(`/senders/${of}/records`),
    enabled: isOpen,
    retry: false,
    staleTime: 0,
  });
  return (
    <>
      <Button aria-label={`DNS records of ${name}`} onClick={() => setOpen(true)}>
        DNS records
      </Button>
      {isOpen && (
        <Dialog isOpen onClose={() => setOpen(false)} title={data ? `DNS records of ${data.domain}` : 'DNS records'} width={720}>
          {error ? (
            <Failed error={error} retry={() => void refetch()} />
          ) : !data ? (
            <Empty title="Asking the name server…" />
          ) : (
            <>
              <p className="text-soft">
                Whoever looks after the domain adds these, each as a TXT record. Without them, letters land among unwanted mail, or nowhere.
              </p>
              <ul aria-label="Records" aria-busy={isFetching} className="grid gap-4">
                {data.records.map((one) => (
                  <Record key={one.kind} one={one} />
                ))}
              </ul>
            </>
          )}
          <div className="flex justify-end gap-2">
            <Button disabled={isFetching} onClick={() => void refetch()}>
              {isFetching ? 'Looking…' : 'Look again'}
            </Button>
            <Button kind="primary" onClick={() => setOpen(false)}>
              Done
            </Button>
          </div>
        </Dialog>
      )}
    </>
  );
}

function Record({ one }: { one: Found }) {
  const { name, says } = FOR[one.kind];
  return (
    <li className="grid gap-1 border-t border-line pt-3">
      <p className="flex items-center gap-2">
        <b>{name}</b>
        {one.state === 'there' ? (
          <Label tone="good">is there</Label>
        ) : one.state === 'none' ? (
          <Label tone="caution">not there yet</Label>
        ) : (
          <Label tone="stop">not right</Label>
        )}
      </p>
      <p className="text-sm text-soft">{says}</p>
      {one.state === 'wrong' && <p className="text-sm text-stop">{one.because}</p>}
      <Copied text={one.name} label={`Name of the record for ${name}`} />
      <Copied text={one.value} label={`Text of the record for ${name}`} />
      {one.state !== 'none' && one.found.some((text) => text !== one.value) && (
        <p className="break-all text-xs text-soft">
          What stands there: <span className="font-mono">{one.found.join(' | ')}</span>
        </p>
      )}
    </li>
  );
}
