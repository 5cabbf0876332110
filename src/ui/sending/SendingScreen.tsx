'use client';

import { useMutation } from '@tanstack/react-query';
import { Plus, X } from 'lucide-react';
import { useState } from 'react';
import { toast } from 'sonner';
import type { SendingView } from '@/core/api';
import { limitsSchema, type LimitsDocument } from '@/core/limits';
import { CHANNELS, CHANNEL_WORDS, sayDay } from '@/core/rules';
import {
  api,
  Button,
  doneUndoable,
  DurationField,
  Field,
  inputClass,
  Link,
  NumberField,
  Page,
  Part,
  sayMoment,
  useStore,
  WordList,
  wordsOf,
} from '../kit';
import { Hours } from '../rules';
import { SendCalendar } from './Calendar';
import { Senders } from './Senders';
import { TextPrices } from './TextPrices';

const OFFICE = { weekdays: [1, 2, 3, 4, 5], from: '09:00', to: '20:00' };

/** How much marketing anybody gets, whichever flows want them, and when. */
export function SendingScreen({ initial }: { initial: SendingView }) {
  const store = useStore();
  const [kept, setKept] = useState(initial);
  const [limits, setLimits] = useState<LimitsDocument>(initial.limits);
  const put = (change: Partial<LimitsDocument>) => setLimits((before) => ({ ...before, ...change }));
  const isChanged = JSON.stringify(limits) !== JSON.stringify(kept.limits);
  const parsed = limitsSchema.safeParse(limits);
  const wrong = (field: string) => parsed.error?.issues.find(({ path }) => path.join('.').startsWith(field))?.message ?? null;
  const save = useMutation({
    mutationFn: (next: LimitsDocument) => api<SendingView>('/sending', { method: 'PUT', body: next }),
    onSuccess: (next) => {
      const before = kept.limits;
      setKept(next);
      setLimits(next.limits);
      doneUndoable('Saved. It holds from now on, for everybody who is on their way too.', () => save.mutate(before));
    },
    onError: (error) => toast.error(wordsOf(error)),
  });
  return (
    <Page
      title="Sending"
      about="How much marketing anybody gets, whichever flows want them, and when. Service messages, such as receipts, always pass."
      acts={
        <>
          <Button disabled={!isChanged} onClick={() => setLimits(kept.limits)}>
            Cancel
          </Button>
          <Button
            changes="/sending"
            kind="primary"
            disabled={!isChanged || !parsed.success || save.isPending}
            onClick={() => save.mutate(limits)}
          >
            Save
          </Button>
        </>
      }
    >
      <div className="grid gap-4">
        <Part title="Between two messages">
          <div className="grid gap-3 p-4">
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={limits.gap !== null}
                onChange={(event) => put({ gap: event.target.checked ? 'PT16H' : null })}
              />
              Keep a distance between two messages to the same person
            </label>
            {limits.gap !== null && (
              <div className="max-w-[340px]">
                <DurationField label="At least" value={limits.gap} onChange={(gap) => put({ gap })} />
              </div>
            )}
            <p className="text-xs text-soft">
              A message that comes too soon is held until the time is over; its run waits there. Of two flows that want somebody at the same
              moment, the one with the higher priority goes first.
            </p>
          </div>
        </Part>

        <Part title="At most">
          <div className="grid gap-3 p-4">
            {limits.caps.map((cap, index) => {
              const putCap = (change: Partial<typeof cap>) =>
                put({ caps: limits.caps.map((one, n) => (n === index ? { ...one, ...change } : one)) });
              return (
                <div key={index} className="flex flex-wrap items-end gap-3">
                  <div className="w-[110px]">
                    <Field label="Messages">
                      <NumberField min={1} max={1000} step={1} value={cap.most} onChange={(most) => putCap({ most })} />
                    </Field>
                  </div>
                  <div className="w-[120px]">
                    <Field label="By">
                      <select
                        value={cap.channel}
                        onChange={(event) => putCap({ channel: event.target.value as typeof cap.channel })}
                        className={inputClass}
                      >
                        {CHANNELS.map((channel) => (
                          <option key={channel} value={channel}>
                            {CHANNEL_WORDS[channel].noun}
                          </option>
                        ))}
                      </select>
                    </Field>
                  </div>
                  <div className="w-[260px]">
                    <DurationField label="In" value={cap.per} onChange={(per) => putCap({ per })} />
                  </div>
                  <Button
                    changes="/sending"
                    kind="quiet"
                    aria-label={`Remove the limit of ${cap.most} by ${CHANNEL_WORDS[cap.channel].noun}`}
                    onClick={() => put({ caps: limits.caps.filter((_, n) => n !== index) })}
                    className="px-2"
                  >
                    <X size={16} aria-hidden="true" />
                  </Button>
                </div>
              );
            })}
            {limits.caps.length === 0 && <p className="text-soft">No limit: everybody gets all that flows send them.</p>}
            <Button
              changes="/sending"
              onClick={() => put({ caps: [...limits.caps, { channel: 'email', most: 3, per: 'P1W' }] })}
              disabled={limits.caps.length >= 10}
              className="justify-self-start"
            >
              <Plus size={16} aria-hidden="true" /> Add a limit
            </Button>
            <p className="text-xs text-soft">
              What is beyond a limit is skipped, and the run goes on without it. The trace of the run says so.
            </p>
          </div>
        </Part>

        <Part title="When">
          <div className="grid gap-3 p-4">
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={limits.hours !== null}
                onChange={(event) => put({ hours: event.target.checked ? OFFICE : null })}
              />
              Only at certain hours, by the clocks of {store.zone}
            </label>
            {limits.hours && (
              <p>
                Messages go out <Hours hours={limits.hours} isAlways onChange={(hours) => hours && put({ hours })} />
              </p>
            )}
            <div className="grid grid-cols-2 gap-3">
              <Field label="Not on the public holidays of" hint="Two letters, such as NL; empty for none" problem={wrong('holidaysOf')}>
                <input
                  value={limits.holidaysOf ?? ''}
                  maxLength={2}
                  onChange={(event) => put({ holidaysOf: event.target.value.trim().toUpperCase() || null })}
                  className={inputClass}
                />
              </Field>
              <Field label="Nor on these days" hint="Such as 2026-12-24, with commas between" problem={wrong('closed')}>
                <WordList value={limits.closed} onChange={(closed) => put({ closed })} />
              </Field>
            </div>
            {kept.closedDays.length > 0 && (
              <p className="text-xs text-soft">Nothing goes out on: {kept.closedDays.map(sayDay).join(', ')}</p>
            )}
            <p className="text-xs text-soft">
              What is due at another time is held until the next of these hours. A message may ask for hours of its own.
            </p>
          </div>
        </Part>

        <Part title="Control group">
          <div className="grid gap-3 p-4">
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                checked={limits.control !== null}
                onChange={(event) => put({ control: event.target.checked ? (kept.limits.control ?? { share: 5 }) : null })}
              />
              Keep a few people out of all marketing, to see what it brings
            </label>
            {limits.control !== null && (
              <div className="w-[160px]">
                <Field label="Of a hundred people" problem={wrong('control')}>
                  <NumberField
                    min={1}
                    max={20}
                    step={1}
                    value={limits.control.share}
                    onChange={(share) => put({ control: share === kept.limits.control?.share ? kept.limits.control : { share } })}
                  />
                </Field>
              </div>
            )}
            {kept.limits.control?.since && (
              <p className="text-xs text-soft">
                Kept since {sayMoment(kept.limits.control.since, store.zone)}.{' '}
                <Link href="/revenue/lift" className="text-accent underline">
                  What it shows
                </Link>
              </p>
            )}
            <p className="text-xs text-soft">
              They are drawn by lot, go through flows like everybody else, and get service messages only. Another share draws others, and
              what it shows begins anew.
            </p>
          </div>
        </Part>
        <Part title="What went out">
          <SendCalendar />
        </Part>
        <Senders />
        <TextPrices />
        <Tracking initial={initial.tracking} />
      </div>
    </Page>
  );
}

const COUNTED: readonly (readonly [SendingView['tracking'], string])[] = [
  ['unless-no', 'of everybody who has not said no'],
  ['only-yes', 'only of those who have said yes'],
];

/** Of whom openings and clicks are counted. */
function Tracking({ initial }: { initial: SendingView['tracking'] }) {
  const [of, setOf] = useState(initial);
  const save = useMutation({
    mutationFn: (next: SendingView['tracking']) => api<SendingView>('/tracking', { method: 'PUT', body: { of: next } }),
    onSuccess: ({ tracking }) => {
      const before = of;
      setOf(tracking);
      doneUndoable('Saved. It holds for what goes out from now on.', () => save.mutate(before));
    },
    onError: (error) => toast.error(wordsOf(error)),
  });
  return (
    <Part title="Openings and clicks">
      <fieldset className="grid gap-2 p-4">
        <legend className="sr-only">Openings and clicks are counted</legend>
        <p>They are counted</p>
        {COUNTED.map(([one, words]) => (
          <label key={one} className="flex items-center gap-2">
            <input type="radio" name="tracking" checked={of === one} disabled={save.isPending} onChange={() => save.mutate(one)} />
            {words}
          </label>
        ))}
        <p className="text-xs text-soft">
          What somebody has said stands in their attribute “tracking”, yes or no; they can say it on their preference page. Links in
          messages to others lead straight to their goal, and nothing tells that they were opened: rules about openings never hold for them.
        </p>
      </fieldset>
    </Part>
  );
}
