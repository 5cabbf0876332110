'use client';

import { browserSupportsWebAuthn, startAuthentication, type PublicKeyCredentialRequestOptionsJSON } from '@simplewebauthn/browser';
import { useState, useSyncExternalStore } from 'react';
import { Button } from '../kit';

export interface PasskeySignIn {
  readonly ask: () => Promise<PublicKeyCredentialRequestOptionsJSON>;
  /** answers why not; where it is right, the browser goes on to the day */
  readonly signIn: (answer: unknown) => Promise<string>;
}

const never = () => () => {};

/** Signs in by a passkey of the device: shown from the start, so that nothing moves under the pointer, and gone where the browser knows none. */
export function ByPasskey({ of }: { of: PasskeySignIn }) {
  const isKnown = useSyncExternalStore(never, browserSupportsWebAuthn, () => true);
  const [isBusy, setBusy] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  if (!isKnown) return null;
  const go = async () => {
    setBusy(true);
    setProblem(null);
    try {
      const answer = await startAuthentication({ optionsJSON: await of.ask() }).catch((error: Error) => error);
      setProblem(answer instanceof Error ? sayDevice(answer) : await of.signIn(answer));
    } catch {
      setProblem('Viatic does not answer. See whether it is running and try again.');
    } finally {
      setBusy(false);
    }
  };
  return (
    <>
      <Button onClick={() => void go()} disabled={isBusy}>
        {isBusy ? 'Asking your device…' : 'Use a passkey'}
      </Button>
      {problem && (
        <p role="alert" className="text-stop">
          {problem}
        </p>
      )}
    </>
  );
}

/** Why a device gave no answer, in words. */
export const sayDevice = (error: Error): string =>
  error.name === 'InvalidStateError'
    ? 'This device has a passkey for your account already.'
    : error.name === 'NotAllowedError' || error.name === 'AbortError'
      ? 'Your device was not asked, or said no. Try again.'
      : `Your device cannot do that: ${error.message}`;
