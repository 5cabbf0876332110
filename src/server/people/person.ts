import type { PersonView } from '@/core/api';
import { planOf, sayStep } from '@/core/flows';
import { isKeptOut } from '@/core/limits';
import { addressOf, CHANNELS, unreachableBecause } from '@/core/rules';
import { DAY } from '@/core/time';
import type { Db } from '@/data/db';
import { tagsOf } from '@/data/work';
import { loadAllFacts } from '@/data/rules';
import { readVersion } from '@/data/flows';
import { declinedTopics, identifiersOf, listsOf, openRuns, orderGaps, personTotals, readConsents, sharersOf } from '@/data/people';
import { segmentsOf } from '@/data/segments';
import { predictionOf } from '@/data/revenue';
import { readStore } from '@/data/store';
import { sayCause } from './causes';
import { mergesOf } from './merges';
import { nameOf, person, publicId } from './who';

/** The middle one of several numbers; between the two middle ones of an even count. */
export function median(numbers: readonly number[]): number | null {
  if (!numbers.length) return null;
  const sorted = [...numbers].sort((a, b) => a - b);
  const middle = sorted.length >> 1;
  return sorted.length % 2 ? sorted[middle]! : (sorted[middle - 1]! + sorted[middle]!) / 2;
}

/** All about one person: who they are, consent, orders, the flows they are in and what happens next. */
export async function personView(db: Db, id: string): Promise<PersonView> {
  const row = await person(db, id);
  const store = await readStore(db);
  const [facts, totals, runs, consents, identifiers, tags, lists, segments, declined, gaps, sharers, merges, predicted] = await Promise.all(
    [
      loadAllFacts(db, row.id, []),
      personTotals(db, row.id),
      openRuns(db, row.id),
      readConsents(db, row.id),
      identifiersOf(db, row.id),
      tagsOf(db, row.id),
      listsOf(db, row.id),
      segmentsOf(db, row.id),
      declinedTopics(db, row.id),
      orderGaps(db, row.id),
      sharersOf(db, row.id),
      mergesOf(db, row.id, store.now),
      predictionOf(db, row.id),
    ],
  );
  const reaches = facts!.reach;
  const channels = CHANNELS.map((channel) => {
    const consent = consents.find((one) => one.channel === channel);
    const because = unreachableBecause(reaches[channel], store.now, channel);
    return {
      channel,
      address: addressOf(channel, row.attributes),
      state: reaches[channel].state,
      at: consent ? new Date(consent.at).toISOString() : null,
      how: consent?.how || null,
      place: consent?.place ?? null,
      wording: consent?.wording ?? null,
      actor: consent?.actor ?? null,
      box: consent?.box ?? null,
      country: consent?.country ?? null,
      suppressed: reaches[channel].suppressed,
      reachable: because === null,
      because,
    };
  });
  const flows = await Promise.all(
    runs.map(async (run) => {
      if (run.broken !== null) {
        // nothing of its version may be readable: that can be what it broke on
        return {
          run: run.run_id,
          flow: run.flow_key,
          name: run.flow_name,
          version: run.version,
          key: run.key,
          phase: run.phase,
          enteredAt: run.entered_at?.toISOString() ?? null,
          nextAt: run.wake_at?.toISOString() ?? null,
          at: `Set aside: ${run.broken.split('\n')[0]!.slice(0, 200)}`,
          next: 'Tried again',
        };
      }
      const plan = planOf(await readVersion(db, run.flow_id, run.version));
      const step = run.step ? plan.steps.get(run.step) : undefined;
      const after = run.step ? plan.after.get(run.step) : undefined;
      const next = step?.kind === 'wait' && after ? plan.steps.get(after) : undefined;
      return {
        run: run.run_id,
        flow: run.flow_key,
        name: run.flow_name,
        version: run.version,
        key: run.key,
        phase: run.phase,
        enteredAt: run.entered_at?.toISOString() ?? null,
        nextAt: run.wake_at?.toISOString() ?? null,
        at: step
          ? sayStep(step)
          : run.phase === 'watching'
            ? run.outcome === 'left'
              ? 'Exited early; the goal can still be reached'
              : 'Completed; the goal can still be reached'
            : run.phase === 'armed'
              ? 'Not entered yet: the silence still lasts'
              : null,
        next: next ? sayStep(next) : null,
      };
    }),
  );
  const { state, at, suppressed, reachable, because } = channels[0]!;
  const gap = median(gaps);
  return {
    id: publicId(row),
    number: row.id,
    externalId: row.external_id,
    email: row.email,
    claimsEmail: row.claims_email ?? null,
    name: nameOf(row.attributes),
    isKnown: row.is_known,
    attributes: row.attributes,
    identifiers: identifiers.map((one) => ({
      kind: one.kind,
      value: one.value,
      since: one.first_at?.toISOString() ?? null,
      isShared: one.is_shared,
    })),
    consent: { email: { state, at, suppressed, reachable, because } },
    channels,
    pausedUntil: row.paused_until && row.paused_until.getTime() > store.now ? row.paused_until.toISOString() : null,
    isKeptOut: isKeptOut(row.id, store.limits?.control ?? null),
    declined,
    tags,
    segments: segments.map(({ key, name, since, cause }) => ({ key, name, since: since.toISOString(), because: sayCause(cause) })),
    lists: lists.map((list) => ({ key: list.key, name: list.name, at: list.at.toISOString(), how: list.how })),
    predicted: predicted && {
      active: predicted.active,
      orders90: predicted.orders_90,
      order: { currency: store.currency, minor: Number(predicted.order_minor) },
      year: { currency: store.currency, minor: Number(predicted.year_minor) },
      nextAt: predicted.next_at?.toISOString() ?? null,
    },
    orders: {
      count: totals.orders,
      firstAt: totals.first_at?.toISOString() ?? null,
      lastAt: totals.last_at?.toISOString() ?? null,
      totals: totals.by_currency ?? [],
      typicalGapDays: gap === null ? null : Math.round((gap / DAY) * 10) / 10,
    },
    flows,
    merges,
    maybeSame: sharers.map((one) => ({
      id: publicId(one),
      name: nameOf(one.attributes),
      email: one.email,
      because: `used ${one.identifier.startsWith('phone:') ? `the phone ${one.identifier.slice(6)}` : 'the same device'}`,
    })),
    createdAt: row.created_at.toISOString(),
    seenAt: row.seen_at.toISOString(),
  };
}
