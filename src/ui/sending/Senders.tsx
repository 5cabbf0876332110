'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { slugOf } from '@/core/text';
import type { SendersView } from '@/core/api';
import { api, attempt, Button, Field, inputClass, Label, Part, wordsOf } from '../kit';
import { SenderRecords } from './SenderRecords';
import { WarmUpPart } from './WarmUpPart';

/** In whose name letters go out: the store's own sender, and others whose addresses have said yes. */
export function Senders() {
  const client = useQueryClient();
  const [name, setName] = useState('');
  const [address, setAddress] = useState('');
  const [problem, setProblem] = useState<string | null>(null);
  const { data, error } = useQuery({
    queryKey: ['senders'],
    queryFn: () => api<SendersView>('/senders'),
    refetchInterval: 15_000,
  });
  const renew = () => client.invalidateQueries({ queryKey: ['senders'] });
  const add = async () => {
    setProblem(null);
    try {
      await api(`/senders/${slugOf(name, 48) || 'sender'}-${Math.random().toString(36).slice(2, 6)}`, {
        method: 'PUT',
        body: { name, address },
      });
      setName('');
      setAddress('');
      await renew();
    } catch (failed) {
      setProblem(wordsOf(failed));
    }
  };
  return (
    <Part title="In whose name letters go out">
      <div className="grid gap-3 p-4">
        {error && (
          <p role="alert" className="text-stop">
            {error.message}
          </p>
        )}
        <ul className="grid gap-2">
          {data && (
            <li className="flex items-center gap-2">
              <span className="min-w-0 flex-1 truncate">
                <b>{data.store.name}</b> <span className="font-mono text-xs">{data.store.address}</span> <Label>the store’s own</Label>
              </span>
              <SenderRecords of="own" name={data.store.name} />
              <WarmUpPart of="own" name={data.store.name} warmUp={data.store.warmUp} onChanged={() => void renew()} />
            </li>
          )}
          {data?.senders.map((one) => (
            <li key={one.key} className="flex items-center gap-2">
              <span className="min-w-0 flex-1 truncate">
                <b>{one.name}</b> <span className="font-mono text-xs">{one.address}</span>{' '}
                {one.verifiedAt ? <Label tone="good">confirmed</Label> : <Label tone="caution">waits for its owner’s yes</Label>}
              </span>
              <SenderRecords of={one.key} name={one.name} />
              {one.verifiedAt && <WarmUpPart of={one.key} name={one.name} warmUp={one.warmUp} onChanged={() => void renew()} />}
              {!one.verifiedAt && (
                <Button
                  changes="/senders"
                  onClick={() =>
                    void attempt(
                      () => api(`/senders/${one.key}`, { method: 'PUT', body: { name: one.name, address: one.address, again: true } }),
                      'It is asked once more.',
                    )
                  }
                >
                  Ask again
                </Button>
              )}
              <Button
                changes="/senders"
                onClick={() =>
                  void attempt(async () => {
                    await api(`/senders/${one.key}`, { method: 'DELETE' });
                    await renew();
                  }, 'Deleted. Its letters go out in the store’s name.')
                }
              >
                Delete
              </Button>
            </li>
          ))}
        </ul>
        <form
          className="flex max-w-[720px] items-end gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            void add();
          }}
        >
          <Field label="Name of the sender">
            <input value={name} maxLength={80} onChange={(event) => setName(event.target.value)} className={inputClass} />
          </Field>
          <div className="flex-1">
            <Field label="Its address">
              <input
                type="email"
                value={address}
                maxLength={254}
                onChange={(event) => setAddress(event.target.value)}
                className={inputClass}
              />
            </Field>
          </div>
          <Button changes="/senders" type="submit" disabled={!name.trim() || !address.trim()}>
            Add
          </Button>
        </form>
        {problem && (
          <p role="alert" className="text-stop">
            {problem}
          </p>
        )}
        <p className="text-xs text-soft">
          The address is asked by mail; until its owner says yes, letters go out in the store’s name. Chosen where a letter is written.
        </p>
      </div>
    </Part>
  );
}
