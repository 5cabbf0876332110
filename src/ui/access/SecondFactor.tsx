'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { renderSVG } from 'uqr';
import type { SecondFactorView } from '@/core/api';
import { api, attempt, Button, Empty, Failed, Field, inputClass, Part, plural, sayMoment, useStore } from '../kit';

/** The second factor of one's own account: set up with an authenticator program, and turned off again. */
export function SecondFactor() {
  const { zone } = useStore();
  const client = useQueryClient();
  const [code, setCode] = useState('');
  const [codes, setCodes] = useState<readonly string[] | null>(null);
  const { data, error, refetch } = useQuery({ queryKey: ['second-factor'], queryFn: () => api<SecondFactorView>('/account/second') });
  const again = () => client.invalidateQueries({ queryKey: ['second-factor'] });
  const act = (method: 'PUT' | 'DELETE') =>
    void attempt(
      async () => {
        const answer = await api<{ codes: string[] } | undefined>('/account/second', { method, body: { code } });
        setCode('');
        setCodes(answer?.codes ?? null);
        await again();
      },
      method === 'PUT' ? 'On. From now on a code is asked for when you sign in.' : 'Off. Your password alone signs you in.',
    );
  const entry = (label: string, name: string, method: 'PUT' | 'DELETE') => (
    <form
      className="flex items-end gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        act(method);
      }}
    >
      <Field label={label}>
        <input
          value={code}
          onChange={(event) => setCode(event.target.value)}
          required
          maxLength={20}
          autoComplete="one-time-code"
          className={inputClass}
        />
      </Field>
      <Button type="submit" kind={method === 'PUT' ? 'primary' : undefined}>
        {name}
      </Button>
    </form>
  );
  return (
    <Part title="Second factor">
      <div className="grid gap-3 p-4">
        {error ? (
          <Failed error={error} retry={() => void refetch()} />
        ) : !data ? (
          <Empty title="Loading…" />
        ) : data.since ? (
          <>
            <p>
              On since {sayMoment(data.since, zone)}; {plural(data.codesLeft, 'code', 'codes')} for when the device is lost{' '}
              {data.codesLeft === 1 ? 'is' : 'are'} left.
            </p>
            {codes && (
              <div className="rounded-md border border-line bg-paper p-3">
                <p className="font-semibold">Write these down: each signs you in once when the device is lost. They are shown this once.</p>
                <ul className="mt-2 grid grid-cols-5 gap-2 font-mono text-sm" data-testid="recovery-codes">
                  {codes.map((one) => (
                    <li key={one}>{one}</li>
                  ))}
                </ul>
              </div>
            )}
            {entry('A code, to turn it off', 'Turn off', 'DELETE')}
          </>
        ) : data.setup ? (
          <>
            <p>Read this with an authenticator program, or type the key in; then enter the code that it shows.</p>
            <div className="flex items-center gap-5">
              <img
                alt="The key as a square to be read by a camera"
                width={160}
                height={160}
                className="rounded-md border border-line bg-white p-1"
                src={`data:image/svg+xml;utf8,${encodeURIComponent(renderSVG(data.setup.uri))}`}
              />
              <div className="grid gap-3">
                <code className="break-all font-mono text-sm" data-testid="totp-secret">
                  {data.setup.secret}
                </code>
                {entry('The code it shows', 'Turn on', 'PUT')}
              </div>
            </div>
          </>
        ) : (
          <>
            <p>A code of your phone beside your password, so that a password somebody has found out is not enough.</p>
            <div>
              <Button onClick={() => void attempt(() => api('/account/second', { method: 'POST' })).then(again)}>Set up…</Button>
            </div>
          </>
        )}
      </div>
    </Part>
  );
}
