'use client';

import { useState, type FormEvent } from 'react';
import { toast } from 'sonner';
import type { AccountView } from '@/core/api';
import { api, ApiError, Button, Field, inputClass, Label, Page, Part, plural, sayMoment, tdClass, thClass, useStore } from '../kit';

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

/** Somebody's own account: another password, and where they are signed in. */
export function AccountScreen({ initial }: { initial: AccountView }) {
  const store = useStore();
  const [account, setAccount] = useState(initial);
  const [problems, setProblems] = useState<{ present?: string; wanted?: string; again?: string }>({});
  const [isBusy, setBusy] = useState(false);
  const others = account.sessions.filter((one) => !one.isThis).length;

  const change = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const form = event.currentTarget;
    const given = new FormData(form);
    const [present, wanted, again] = ['present', 'wanted', 'again'].map((name) => String(given.get(name) ?? ''));
    if (wanted !== again) return setProblems({ again: 'The two are not the same.' });
    setBusy(true);
    try {
      setAccount(await api<AccountView>('/account', { method: 'PUT', body: { present, wanted } }));
      setProblems({});
      form.reset();
      toast.success(`Your password is changed.${others ? ` ${plural(others, 'other session has', 'other sessions have')} ended.` : ''}`);
    } catch (error) {
      const errors = error instanceof ApiError ? (error.problem.errors ?? []) : [];
      const of = (field: string) => errors.filter((one) => one.field === field).map((one) => `This ${one.wrong}: ${one.right}.`)[0];
      setProblems({ present: of('present') ?? (errors.length ? undefined : (error as Error).message), wanted: of('wanted') });
    } finally {
      setBusy(false);
    }
  };

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
    <Page title="Your account" about={`${account.name}, ${account.email}`}>
      <div className="grid grid-cols-[360px_1fr] items-start gap-5">
        <Part title="Password">
          <form onSubmit={(event) => void change(event)} className="grid gap-3 p-4">
            <Field label="Present password" problem={problems.present}>
              <input name="present" type="password" required autoComplete="current-password" className={inputClass} />
            </Field>
            <Field label="New password" hint="At least 12 characters" problem={problems.wanted}>
              <input name="wanted" type="password" required minLength={12} autoComplete="new-password" className={inputClass} />
            </Field>
            <Field label="New password again" problem={problems.again}>
              <input name="again" type="password" required autoComplete="new-password" className={inputClass} />
            </Field>
            <p className="text-xs text-soft">Changing it signs you out everywhere else.</p>
            <div>
              <Button kind="primary" type="submit" disabled={isBusy}>
                Save
              </Button>
            </div>
          </form>
        </Part>
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
          <table className="w-full text-left">
            <thead>
              <tr className="border-b border-line text-xs text-soft">
                <th className={thClass}>Program</th>
                <th className={thClass}>Address</th>
                <th className={`${thClass} text-right`}>Since</th>
                <th className={`${thClass} text-right`}>Last used</th>
              </tr>
            </thead>
            <tbody>
              {account.sessions.map((one) => (
                <tr key={`${one.startedAt} ${one.address}`} className="border-b border-line last:border-0">
                  <td className={tdClass} title={one.agent}>
                    {programOf(one.agent)} {one.isThis && <Label tone="good">this one</Label>}
                  </td>
                  <td className={`${tdClass} font-mono text-xs`}>{one.address || 'not known'}</td>
                  <td className={`${tdClass} num`}>{sayMoment(one.startedAt, store.zone)}</td>
                  <td className={`${tdClass} num`}>{sayMoment(one.seenAt, store.zone)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="border-t border-line px-4 py-3 text-xs text-soft">
            A session lasts 14 days and ends when you sign out. “Last used” is right to five minutes.
          </p>
        </Part>
      </div>
    </Page>
  );
}
