'use client';

import { browserSupportsWebAuthn, startRegistration, type PublicKeyCredentialCreationOptionsJSON } from '@simplewebauthn/browser';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { toast } from 'sonner';
import type { PasskeysView, PasskeyView } from '@/core/api';
import { api, Ask, Button, Empty, Failed, Field, inputClass, Part, sayMoment, useStore } from '../kit';
import { sayDevice } from './ByPasskey';

/** The passkeys of one's own account: added with the password, and removed. */
export function Passkeys() {
  const { zone } = useStore();
  const client = useQueryClient();
  const { data, error, refetch } = useQuery({ queryKey: ['passkeys'], queryFn: () => api<PasskeysView>('/account/passkeys') });
  const [isAdding, setAdding] = useState(false);
  const [removed, setRemoved] = useState<PasskeyView | null>(null);
  const put = (view: PasskeysView) => client.setQueryData(['passkeys'], view);
  return (
    <Part
      title="Passkeys"
      acts={
        data?.canMake && (
          <Button
            onClick={() => setAdding(true)}
            {...(!browserSupportsWebAuthn() && { disabled: true, title: 'This browser knows no passkeys.' })}
          >
            Add…
          </Button>
        )
      }
    >
      <div className="grid gap-3 p-4">
        <p>A device that knows you by a finger, your face or a PIN signs you in by itself, without password and code.</p>
        {error ? (
          <Failed error={error} retry={() => void refetch()} />
        ) : !data ? (
          <Empty title="Loading…" />
        ) : (
          <>
            {!data.canMake && (
              <p className="text-soft">
                Browsers make passkeys only for an address with a name, by https: Viatic is not at such an address.
              </p>
            )}
            {!!data.passkeys.length && (
              <ul className="grid gap-2">
                {data.passkeys.map((one) => (
                  <li key={one.id} className="flex items-center justify-between gap-3 rounded-md border border-line px-3 py-2">
                    <span>
                      <b>{one.name}</b>{' '}
                      <span className="text-soft">
                        since {sayMoment(one.madeAt, zone)}
                        {one.usedAt ? `, last used ${sayMoment(one.usedAt, zone)}` : ', not used yet'}
                      </span>
                    </span>
                    <Button onClick={() => setRemoved(one)}>Remove…</Button>
                  </li>
                ))}
              </ul>
            )}
          </>
        )}
      </div>
      {isAdding && <Adding onClose={() => setAdding(false)} onAdded={put} />}
      <Ask
        isOpen={removed !== null}
        onClose={() => setRemoved(null)}
        title={`Remove ${removed?.name ?? ''}?`}
        about="It signs you in no more. What the device keeps of it can be deleted there."
        act="Remove"
        isDanger
        onAct={async () => {
          put(await api<PasskeysView>(`/account/passkeys/${encodeURIComponent(removed!.id)}`, { method: 'DELETE' }));
          toast.success('Removed.');
        }}
      />
    </Part>
  );
}

function Adding({ onClose, onAdded }: { onClose: () => void; onAdded: (view: PasskeysView) => void }) {
  const [name, setName] = useState('');
  const [present, setPresent] = useState('');
  const add = async () => {
    const optionsJSON = await api<PublicKeyCredentialCreationOptionsJSON>('/account/passkeys', { method: 'POST', body: { present } });
    const answer = await startRegistration({ optionsJSON }).catch((error: Error) => {
      throw new Error(sayDevice(error));
    });
    onAdded(await api<PasskeysView>('/account/passkeys', { method: 'PUT', body: { name: name.trim(), answer } }));
    toast.success('Added. From now on this device signs you in.');
  };
  return (
    <Ask
      isOpen
      onClose={onClose}
      title="Add a passkey"
      about="Your browser asks next where it is to be kept: on this device, a phone or a stick."
      act="Add"
      canAct={Boolean(name.trim() && present)}
      onAct={add}
    >
      <Field label="Name of the device">
        <input
          value={name}
          maxLength={60}
          placeholder="Laptop at the desk"
          onChange={(event) => setName(event.target.value)}
          className={inputClass}
        />
      </Field>
      <Field label="Present password">
        <input
          type="password"
          value={present}
          maxLength={500}
          autoComplete="current-password"
          onChange={(event) => setPresent(event.target.value)}
          className={inputClass}
        />
      </Field>
    </Ask>
  );
}
