'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { clsx } from 'clsx';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import type { BacktestView, FlowListItem, FlowView, StarterView, TypeView } from '@/core/api';
import { flowSchema, freeKey, sayTriggers, type FlowDocument } from '@/core/flows';
import { sayDone } from '@/core/rules';
import { STARTERS } from '@/core/starters';
import { DAY } from '@/core/time';
import {
  api,
  areaClass,
  attempt,
  Button,
  Dialog,
  Field,
  inputClass,
  isoOf,
  plural,
  sayShare,
  useStoreTime,
  useWork,
  wordsOf,
} from '../kit';
import { MiniMap } from '../map';

type Way = 'starter' | 'scratch' | 'copy' | 'file';
const WAYS: readonly (readonly [Way, string])[] = [
  ['starter', 'Ready to begin with'],
  ['scratch', 'From scratch'],
  ['copy', 'A copy of another'],
  ['file', 'From a file'],
];

/** What flows begin with most, before what else arrives. */
const BEGINNINGS = ['order.placed', 'cart.updated', 'account.created', 'form.submitted', 'product.viewed', 'order.delivered'] as const;
/** By what one of them is told from another, where it can be. */
const KEYS: { readonly [subject: string]: string } = { order: 'orderId', cart: 'cartId', checkout: 'cartId' };

/** A flow that starts by something that happens, and does nothing yet. */
function scratch(event: string): FlowDocument {
  const key = KEYS[event.split('.')[0]!] ?? null;
  return {
    schema: 'viatic.flow/1',
    name: 'New flow',
    triggers: [{ id: 'start', kind: 'event', event, key }],
    entry: { test: 'consent', channel: 'email', reachable: true },
    stay: null,
    reentry: key ? 'once-per-key' : 'always',
    goal: null,
    steps: [],
  };
}

/** The document in a text, or what is wrong with it. */
function readFlow(text: string): { document: FlowDocument } | { wrong: string } {
  let given: unknown;
  try {
    given = JSON.parse(text);
  } catch (error) {
    return { wrong: `This is not JSON: ${(error as Error).message}` };
  }
  const parsed = flowSchema.safeParse(given);
  if (parsed.success) return { document: parsed.data };
  const [first] = parsed.error.issues;
  return { wrong: `This is no flow: ${first!.path.join('.') || 'the document'} ${first!.message}` };
}

/** A new flow as a draft: one ready to begin with, an empty one, a copy, or one from a file. Nothing goes out before it is published. */
export function NewFlow({ flows, onClose }: { flows: readonly FlowListItem[]; onClose: () => void }) {
  const router = useRouter();
  const [way, setWay] = useState<Way>('starter');
  const client = useQueryClient();
  const kept = useQuery({ queryKey: ['starters'], queryFn: () => api<{ starters: StarterView[] }>('/starters'), staleTime: 60_000 });
  // those that are always there stand here at once
  const starters: readonly StarterView[] = kept.data?.starters ?? STARTERS.map((one) => ({ ...one, own: null }));
  const [starter, setStarter] = useState(STARTERS[0]!.key);
  const [copied, setCopied] = useState(flows[0]?.key ?? '');
  const [text, setText] = useState('');
  const [begins, setBegins] = useState<string>(BEGINNINGS[0]);
  const [name, setName] = useState('');
  const [isBusy, setBusy] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const types = useQuery({ queryKey: ['catalogue'], queryFn: () => api<{ types: TypeView[] }>('/catalogue'), staleTime: 60_000 });
  const arrives = (type: string) => !types.data || types.data.types.some((one) => one.type === type);
  const chosen = starters.find((one) => one.key === starter) ?? starters[0]!;
  const read = way === 'file' && text.trim() ? readFlow(text) : null;
  const suggested =
    way === 'starter'
      ? chosen.name
      : way === 'copy'
        ? `${flows.find((one) => one.key === copied)?.name ?? ''}, copy`
        : read && 'document' in read
          ? read.document.name
          : 'New flow';
  const canCreate = way === 'file' ? read !== null && 'document' in read : way !== 'copy' || copied !== '';

  const create = async () => {
    setBusy(true);
    setProblem(null);
    try {
      const document =
        way === 'starter'
          ? chosen.document
          : way === 'scratch'
            ? scratch(begins)
            : way === 'copy'
              ? (await api<FlowView>(`/flows/${copied}`)).draft
              : (read as { document: FlowDocument }).document;
      const called = name.trim() || suggested;
      const key = freeKey(
        called,
        flows.map((one) => one.key),
      );
      await api<FlowView>(`/flows/${key}`, { method: 'PUT', body: { ...document, name: called } });
      router.push(`/flows/${key}`);
    } catch (error) {
      setProblem(wordsOf(error));
      setBusy(false);
    }
  };

  return (
    <Dialog isOpen onClose={onClose} title="New flow" width={820} about="It begins as a draft: nobody enters before it is published.">
      <div className="grid grid-cols-[180px_1fr] gap-5">
        <div role="radiogroup" aria-label="Begin with" className="grid content-start gap-1">
          {WAYS.filter(([one]) => one !== 'copy' || flows.length).map(([one, words]) => (
            <label key={one} className={clsx('flex gap-2 rounded-md px-2 py-1.5', way === one && 'bg-wash font-semibold')}>
              <input type="radio" name="way" checked={way === one} onChange={() => setWay(one)} />
              {words}
            </label>
          ))}
        </div>
        <div className="min-w-0">
          {way === 'starter' && (
            <div
              role="radiogroup"
              aria-label="Which flow"
              className="grid max-h-[380px] gap-px overflow-y-auto rounded-md border border-line"
            >
              {starters.map((one) => (
                <label
                  key={one.key}
                  className={clsx('grid grid-cols-[auto_1fr] items-start gap-x-2 px-3 py-2', starter === one.key ? 'bg-wash' : 'bg-panel')}
                >
                  <input type="radio" name="starter" checked={starter === one.key} onChange={() => setStarter(one.key)} className="mt-1" />
                  <span>
                    <b>{one.name}</b>
                    <span className="block">{one.says}</span>
                    <MiniMap document={one.document} />
                    {starter === one.key && <WouldHave key={one.key} document={one.document} />}
                    {one.own && (
                      <span className="flex items-center justify-between gap-2 text-xs text-soft">
                        Your own, saved by {one.own.by}
                        <button
                          type="button"
                          className="text-accent underline"
                          aria-label={`Remove the starter ${one.name}`}
                          onClick={(event) => {
                            event.preventDefault();
                            void attempt(async () => {
                              await api(`/starters/${one.key}`, { method: 'DELETE' });
                              await client.invalidateQueries({ queryKey: ['starters'] });
                            }, 'Removed. Flows that began with it stay as they are.');
                          }}
                        >
                          Remove
                        </button>
                      </span>
                    )}
                    {one.needs.some((type) => !arrives(type)) && (
                      <span className="block text-xs text-caution">
                        Not arrived yet:{' '}
                        {one.needs
                          .filter((type) => !arrives(type))
                          .map((type) => `${sayDone(type)} (${type})`)
                          .join(', ')}
                      </span>
                    )}
                  </span>
                </label>
              ))}
            </div>
          )}
          {way === 'scratch' && (
            <div className="grid gap-3">
              <Field label="It starts when somebody has">
                <select value={begins} onChange={(event) => setBegins(event.target.value)} className={inputClass}>
                  {[...new Set([...BEGINNINGS, ...(types.data?.types.map(({ type }) => type) ?? [])])].map((type) => (
                    <option key={type} value={type}>
                      {sayDone(type)}
                      {arrives(type) ? '' : ' (not arrived yet)'}
                    </option>
                  ))}
                </select>
              </Field>
              <p className="text-soft">Whoever can be emailed enters, and nothing happens yet. All of it can be changed.</p>
            </div>
          )}
          {way === 'copy' && (
            <Field label="Which flow">
              <select value={copied} onChange={(event) => setCopied(event.target.value)} className={inputClass}>
                {flows.map((one) => (
                  <option key={one.key} value={one.key}>
                    {one.name}
                  </option>
                ))}
              </select>
            </Field>
          )}
          {way === 'file' && (
            <div className="grid gap-2">
              <Field label="A file" hint="As a flow is saved: JSON of the form viatic.flow/1.">
                <input
                  type="file"
                  accept="application/json,.json"
                  onChange={(event) => void event.target.files?.[0]?.text().then(setText)}
                  className="block"
                />
              </Field>
              <Field label="Or its text" problem={read && 'wrong' in read ? read.wrong : null}>
                <textarea
                  value={text}
                  rows={8}
                  spellCheck={false}
                  onChange={(event) => setText(event.target.value)}
                  className={`${areaClass} font-mono text-xs`}
                />
              </Field>
              {read && 'document' in read && <p className="text-soft">{sayTriggers(read.document.triggers)}</p>}
            </div>
          )}
        </div>
      </div>
      <form
        className="mt-3 flex items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          void create();
        }}
      >
        <div className="flex-1">
          <Field label="Name" problem={problem}>
            <input
              value={name}
              placeholder={suggested}
              maxLength={80}
              onChange={(event) => setName(event.target.value)}
              className={inputClass}
            />
          </Field>
        </div>
        <Button onClick={onClose}>Cancel</Button>
        <Button kind="primary" type="submit" disabled={!canCreate || isBusy}>
          Create
        </Button>
      </form>
    </Dialog>
  );
}

/** The days over which a starter is played before it is taken. */
const PLAYED_DAYS = 90;

/** What a starter would have done here in the last 90 days: played over what really happened when that is asked. */
function WouldHave({ document }: { document: FlowDocument }) {
  const now = useStoreTime();
  const [id, setId] = useState<string | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const { data: work } = useWork(id);
  const play = async () => {
    setProblem(null);
    try {
      const to = now();
      const begun = await api<{ id: string }>('/flows/starter/backtest', {
        method: 'POST',
        body: { document, from: isoOf(to - PLAYED_DAYS * DAY), to: isoOf(to) },
      });
      setId(begun.id);
    } catch (error) {
      setProblem(wordsOf(error));
    }
  };
  const result = work?.state === 'done' ? (work.result as unknown as BacktestView) : null;
  const sends = result?.sends.reduce((sum, { count }) => sum + count, 0) ?? 0;
  if (result)
    return (
      <span className="block" data-testid="would-have">
        In the last {PLAYED_DAYS} days <b>{plural(result.entered, 'person', 'people')}</b> would have entered and got{' '}
        {plural(sends, 'message', 'messages')}; {sayShare(result.goalReached, result.entered) ?? 'none'} reached the goal.
      </span>
    );
  if (work?.state === 'failed' || problem) return <span className="block text-stop">{problem ?? work?.says}</span>;
  if (id) return <span className="block text-soft">Playing the last {PLAYED_DAYS} days…</span>;
  return (
    <button
      type="button"
      className="text-accent underline"
      onClick={(event) => {
        event.preventDefault();
        void play();
      }}
    >
      What would it have done here in the last {PLAYED_DAYS} days?
    </button>
  );
}
