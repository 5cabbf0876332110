'use client';

import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { toast } from 'sonner';
import * as z from 'zod';
import { ROLE_WORDS } from '@/core/access';
import { passwordInput, type AccountView, type PasskeysView, type SecondFactorView } from '@/core/api';
import {
  api,
  Button,
  Entry,
  isoOf,
  Label,
  Link,
  Page,
  Part,
  placeProblems,
  plural,
  sayHours,
  sayMoment,
  Table,
  type TableColumn,
  useAsked,
  useStore,
} from '../kit';
import { Notified } from '../comments';
import { Passkeys } from './Passkeys';
import { SecondFactor } from './SecondFactor';

/** What a program calls itself, as short as a person would say it. */
function programOf(agent: string): string {
  const [, name] = /(Firefox|Edg|OPR|Chrome|Safari)\//.exec(agent) ?? [];
  const system = /Windows|Macintosh|Android|iPhone|iPad|Linux/.exec(agent)?.[0];
  const words: Record<string, string> = { Edg: 'Edge', OPR: 'Opera', Macintosh: 'Mac' };
  return (
    [name, system]
      .filter((one) => one !== undefined)
      .map((one) => words[one] ?? one)
      .join(' on ') || 'A program that does not say what it is'
  );
}

/** A new password as it is typed: twice the same. */
const typedPassword = passwordInput.extend({ again: z.string() }).refine(({ wanted, again }) => wanted === again, {
  path: ['again'],
  message: 'is not the same',
  params: { right: 'the new password, once more' },
});

const columnsOf = (zone: string): TableColumn<AccountView['sessions'][number]>[] => [
  {
    key: 'program',
    name: 'Program',
    value: (one) => programOf(one.agent),
    show: (one) => (
      <span title={one.agent}>
        {programOf(one.agent)} {one.isThis && <Label tone="good">this one</Label>}
      </span>
    ),
  },
  {
    key: 'address',
    name: 'Address',
    value: (one) => one.address || null,
    show: (one) => <span className="font-mono text-xs">{one.address || 'not known'}</span>,
  },
  { key: 'since', name: 'Since', isNumber: true, value: (one) => isoOf(one.startedAt), show: (one) => sayMoment(one.startedAt, zone) },
  { key: 'seen', name: 'Last used', isNumber: true, value: (one) => isoOf(one.seenAt), show: (one) => sayMoment(one.seenAt, zone) },
];

/** What somebody is told who has to set up a second factor before the rest opens to them; where to go once that is done. */
function SecondFirst() {
  const { data: second } = useQuery({ queryKey: ['second-factor'], queryFn: () => api<SecondFactorView>('/account/second') });
  const { data: keys } = useQuery({ queryKey: ['passkeys'], queryFn: () => api<PasskeysView>('/account/passkeys') });
  const isDone = Boolean(second?.since) || Boolean(keys?.passkeys.length);
  return (
    <p role="status" className="mb-5 rounded-md border border-line bg-panel p-4">
      {isDone ? (
        <>
          That is done. <Link href="/today">Go on to Today</Link>
        </>
      ) : (
        `Everybody here signs in with a second factor or a passkey. Set one up ${keys?.canMake ? 'below' : 'below, with an authenticator program'}, and the rest opens.`
      )}
    </p>
  );
}

/** Somebody's own account: another password, and where they are signed in. */
export function AccountScreen({ initial }: { initial: AccountView }) {
  const store = useStore();
  const [account, setAccount] = useState(initial);
  const [isBusy, setBusy] = useState(false);
  const columns = useMemo(() => columnsOf(store.zone), [store.zone]);
  const others = account.sessions.filter((one) => !one.isThis).length;

  const form = useAsked(typedPassword, { present: '', wanted: '', again: '' });
  const change = form.handleSubmit(async ({ present, wanted }) => {
    setBusy(true);
    try {
      setAccount(await api<AccountView>('/account', { method: 'PUT', body: { present, wanted } }));
      form.reset();
      toast.success(`Your password is changed.${others ? ` ${plural(others, 'other session has', 'other sessions have')} ended.` : ''}`);
    } catch (error) {
      if (!placeProblems(form, error)) form.setError('present', { message: (error as Error).message });
    } finally {
      setBusy(false);
    }
  });

  const leaveOthers = async () => {
    setBusy(true);
    try {
      setAccount(await api<AccountView>('/account/sessions', { method: 'DELETE' }));
      toast.success(`${plural(others, 'other session has', 'other sessions have')} ended.`);
    } catch (error) {
      toast.error((error as Error).message);
    } finally {
      setBusy(false);
    }
  };

  return (
    <Page
      title="Your account"
      about={`${account.name}, ${account.email}: ${ROLE_WORDS[account.role].name.toLowerCase()}, who ${ROLE_WORDS[account.role].says}`}
    >
      {account.lacksSecond && <SecondFirst />}
      <div className="grid grid-cols-[360px_1fr] items-start gap-5">
        <div className="grid gap-5">
          <Part title="Password">
            <form onSubmit={(event) => void change(event)} className="grid gap-3 p-4">
              <Entry form={form} name="present" label="Present password" type="password" autoComplete="current-password" />
              <Entry
                form={form}
                name="wanted"
                label="New password"
                hint="At least 12 characters, not easily guessed"
                type="password"
                autoComplete="new-password"
              />
              <Entry form={form} name="again" label="New password again" type="password" autoComplete="new-password" />
              <p className="text-xs text-soft">Changing it signs you out everywhere else.</p>
              <div>
                <Button kind="primary" type="submit" disabled={isBusy}>
                  Save
                </Button>
              </div>
            </form>
          </Part>
        </div>
        <div className="grid gap-5">
          <Passkeys />
          <SecondFactor />
          <Part
            title="Where you are signed in"
            acts={
              others > 0 && (
                <Button disabled={isBusy} onClick={() => void leaveOthers()}>
                  Sign out everywhere else
                </Button>
              )
            }
          >
            <Table
              name="Sessions"
              rows={account.sessions}
              columns={columns}
              keyOf={(one) => `${one.startedAt} ${one.seenAt} ${one.address}`}
            />
            <p className="border-t border-line px-4 py-3 text-xs text-soft">
              A session lasts {sayHours(account.hours)} and ends when you sign out. “Last used” is right to five minutes.
            </p>
          </Part>
          <Notified />
        </div>
      </div>
    </Page>
  );
}
