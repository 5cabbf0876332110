import { answeredOf, asksOf, factsNeeded, messageOf, overBecause, planOf, sayTriggerOff, type FlowDocument, type Run } from '@/core/flows';
import { gate, MESSAGE_SENT, sayLimited, type Passes } from '@/core/limits';
import { offerWords } from '@/core/offers';
import { MOST_PARTS, smsLength, namesCode, notSentBecause, personalOf, type Links, type Message, type Personal } from '@/core/messages';
import { addressOf, CHANNEL_WORDS, eventsOf, isTracked, type Value } from '@/core/rules';
import { DAY, type Instant } from '@/core/time';
import { databaseOf, inTransaction, isOutage, type Db, type Sql } from '@/data/db';
import { lockPeople } from '@/data/people';
import { loadFacts } from '@/data/rules';
import { findRuns, flowsNow, readVersion, toRun, type SendRef } from '@/data/flows';
import {
  domainsOfSends,
  keepBack,
  keepPaused,
  keepShortLinks,
  leaveSend,
  queueDispatch,
  settleSends,
  takeSend,
  takeSends,
  type SendRow,
  type Settled,
} from '@/data/messages';
import { codesOfRuns } from '@/data/offers';
import { readStore, type StoreNow } from '@/data/store';
import { findForLetters, keptByWarmUp, readBrands, readSenders, tryRender, type Brands, type FoundWithWhy } from '../letters';
import { recordFor } from '../ingest';
import { suppressPerson } from '../people';
import { gather } from '../base';
import { attachedTo } from './attached';
import { openTraffic, type Traffic } from './lanes';
import { GatewayBusy, openGateway, shortCode, type Gateway } from './gateway';
import { downloadLink, sealLink } from './links';
import { LONGEST_HANDOVER_MS, TooSlow, type Handed, type Mailer } from './mail';

/** What carries out what flows and people have decided. */
export interface Dispatch {
  readonly db: Db;
  readonly mailer: Mailer;
  /** a mailer of its own for what somebody waits for; the same where there is none */
  readonly urgentMailer?: Mailer;
  readonly url: string;
  readonly secret: string;
  /** the number under which this process shows that it lives; sends in its hands are nobody else's while it does */
  readonly worker?: () => number;
  readonly traffic?: Traffic;
  /** hosts with their ports on the inside of the network that calls may go to */
  readonly inside?: readonly string[];
  /** who carries texts, and messages for locked screens; nobody where they are left out */
  readonly gateways?: { readonly [channel in 'sms' | 'push']?: Gateway };
}

/** The number of nobody: what it holds anybody may take. */
export const holderOf = (context: Pick<Dispatch, 'worker'>): number => context.worker?.() ?? 0;

const AT_ONCE = 10;
/** How long a job waits for a lane in which others are in hand before it leaves the rest for later. */
const PATIENCE_MS = 2_000;

/**
 * Carries out a batch of sends. Each is taken in hand, looked at once more (consent may have been withdrawn since it was
 * queued), handed to the mail server without any transaction standing open, and noted. What has been noted is not sent
 * again; when any fails for now, the job fails and comes back for the rest. What is for a domain that does not take
 * anything at the moment is put off in a job of its own, so that the others go on.
 */
export async function dispatch(context: Dispatch, refs: readonly SendRef[]): Promise<void> {
  const { domains, server } = context.traffic ?? openTraffic();
  const known = await domainsOfSends(context.db, refs);
  const queue = refs.map((ref) => ({ ref, lane: known.get(ref.id)?.domain ?? '' }));
  const failures: unknown[] = [];
  const later: { ref: SendRef; waitMs: number }[] = [];
  let isOver = false;
  let until = Date.now() + PATIENCE_MS;
  // the longer of what the server and the domain ask for; null is to wait for what is in hand
  const waitFor = (lane: string): number | null => {
    const [whole, own] = [server.wait(''), domains.wait(lane)];
    return whole === null || own === null ? whole || own || null : Math.max(whole, own);
  };
  const handOver = async (ref: SendRef, lane: string): Promise<void> => {
    const [leaveServer, leave] = [server.enter(''), domains.enter(lane)];
    try {
      await dispatchOne(context, ref);
      leaveServer('well');
      leave('well');
      // as long as it moves, what waits for the same lane waits here
      until = Date.now() + PATIENCE_MS;
    } catch (error) {
      leaveServer(isNoConnection(error) ? 'badly' : 'well');
      leave(isMailError(error) ? 'badly' : 'well');
      // what was left to itself comes again in a job of its own
      if (isOver) await putOff(context, [{ ref, waitMs: PATIENCE_MS }], known);
      else failures.push(error);
    }
  };
  const work = async () => {
    for (;;) {
      for (let at = queue.length - 1; at >= 0; at--) {
        const waitMs = waitFor(queue[at]!.lane);
        if (waitMs) later.push({ ref: queue.splice(at, 1)[0]!.ref, waitMs });
      }
      const at = queue.findIndex(({ lane }) => waitFor(lane) === 0);
      if (at < 0) {
        if (!queue.length) return;
        if (Date.now() > until) return void later.push(...queue.splice(0).map(({ ref }) => ({ ref, waitMs: PATIENCE_MS })));
        await new Promise((resolve) => setTimeout(resolve, 20));
        continue;
      }
      const [{ ref, lane }] = queue.splice(at, 1) as [(typeof queue)[number]];
      const going = handOver(ref, lane).finally(() => onTheirWay.delete(going));
      onTheirWay.add(going);
      // one that takes long goes on by itself, so that it holds up neither this job nor the next
      const timer = new Promise<void>((resolve) =>
        setTimeout(resolve, onTheirWay.size > MOST_ON_THEIR_WAY ? LONGEST_HANDOVER_MS : PATIENCE_MS).unref(),
      );
      await Promise.race([going, timer]);
    }
  };
  await Promise.all(Array.from({ length: AT_ONCE }, work));
  isOver = true;
  await putOff(context, later, known);
  if (failures.length) throw new Error(`${failures.length} of ${refs.length} sends failed for now: ${(failures[0] as Error).message}`);
}

/** Sends that are being handed over at this moment; some by themselves, after their job has ended. */
const onTheirWay = new Set<Promise<void>>();
const MOST_ON_THEIR_WAY = 32;

/** Resolves when all that is being handed over has come to its end, one way or another. */
export const allHandedOver = async (): Promise<void> => void (await Promise.allSettled([...onTheirWay]));

/** How long a mail is tried for: RFC 5321 §4.5.4.1 asks for four to five days at least. */
const LONGEST_TRIED_MS = 5 * DAY;

/** Leaves sends for later, in jobs of their own; those that have waited too long are given up. */
async function putOff(
  context: Dispatch,
  later: readonly { ref: SendRef; waitMs: number }[],
  known: ReadonlyMap<string, { queuedAt: Instant }>,
): Promise<void> {
  if (!later.length) return;
  const { now } = await readStore(context.db);
  const isTooOld = ({ ref }: { ref: SendRef }) => now - (known.get(ref.id)?.queuedAt ?? now) > LONGEST_TRIED_MS;
  await giveUp(
    context,
    later.filter(isTooOld).map(({ ref }) => ref),
    'gave up after five days: the mail server did not take it',
  );
  const rest = later.filter((one) => !isTooOld(one));
  await queueDispatch(
    context.db,
    rest.map(({ ref }) => ref),
    { afterMs: rest.length ? Math.min(...rest.map(({ waitMs }) => waitMs)) : 0 },
  );
}

/** Whether an error comes from the mail server's connection: those are called as the database's are. */
const isMailError = (error: unknown): boolean =>
  error instanceof TooSlow || error instanceof GatewayBusy || 'command' in (error as object) || hasAnswered(error);
/** Whether the server took no connection at all: then it is the server, whoever the mail was for. */
const isNoConnection = (error: unknown): boolean =>
  (isMailError(error) &&
    /greeting|connection timeout|ECONN|EHOST|ENETUNREACH|ENOTFOUND|getaddrinfo/i.test(
      `${(error as { code?: string }).code} ${(error as Error).message}`,
    )) ||
  (hasAnswered(error) && (error as { command?: string }).command === 'CONN');
const hasAnswered = (error: unknown): boolean => typeof (error as { responseCode?: unknown }).responseCode === 'number';

// two jobs of this process may name the same send: one that failed and came back, and one that was put off
const inHand = new Set<string>();

async function dispatchOne(context: Dispatch, ref: SendRef): Promise<void> {
  const id = `${databaseOf(context.db)} ${ref.id}`;
  if (inHand.has(id)) return;
  inHand.add(id);
  try {
    await carryOut(context, ref);
  } finally {
    inHand.delete(id);
  }
}

/** A send in hand: what it says, and why it is not to go out after all, or null. */
interface Ready {
  readonly send: SendRow;
  readonly message: Message;
  readonly store: StoreNow;
  readonly reason: string | null;
  /** up to when a limit keeps it back that it was not subject to when it was let go, or null */
  readonly keptUntil: Instant | null;
  /** the code that its run has been issued, where the message names it */
  readonly offer: Personal['offer'];
  /** what letters are set in, and what this one shows that is found as it goes out */
  readonly brands: Brands;
  readonly senders: Awaited<ReturnType<typeof readSenders>>;
  readonly found: FoundWithWhy | undefined;
}

/** What sends that are carried out at the same time share: each look and each note is one statement for all that come together. */
interface Desk {
  readonly look: (ref: SendRef) => Promise<Ready | null>;
  readonly settle: (settled: Settled & { personId: string }) => Promise<void>;
}
const TOGETHER = { sizeOf: () => 1, most: 25, atOnce: 1, mostWaiting: Infinity, isOneBad: (error: unknown) => !isOutage(error) };
const desks = new WeakMap<Dispatch, Desk>();
function deskOf(context: Dispatch): Desk {
  let desk = desks.get(context);
  if (!desk) {
    desk = {
      look: gather((refs: readonly SendRef[]) => lookAt(context, refs), TOGETHER),
      settle: gather(async (settled: readonly (Settled & { personId: string })[]) => {
        await noteSettled(context.db, settled);
        return settled.map(() => undefined);
      }, TOGETHER),
    };
    desks.set(context, desk);
  }
  return desk;
}

/** Notes what became of sends, and tells of those that went out, as events of whoever they went to. */
async function noteSettled(db: Db, settled: readonly (Settled & { personId: string })[]): Promise<void> {
  await inTransaction(db, async (trx) => {
    await lockPeople(trx, [...new Set(settled.map(({ personId }) => personId))]);
    const became = await settleSends(trx, settled);
    const at = new Map(settled.map((one) => [one.id, one.at]));
    await recordFor(
      trx,
      became
        .filter((one) => one.became === 'sent')
        .map(({ id, person_id: personId, flow, step, channel, kind }) => ({
          personId,
          type: MESSAGE_SENT,
          eventId: `${MESSAGE_SENT}/${id}`,
          properties: { sendId: id, flow, step, channel, kind },
          at: at.get(id)!,
        })),
    );
  });
}

async function carryOut(context: Dispatch, ref: SendRef): Promise<void> {
  const desk = deskOf(context);
  const ready = await desk.look(ref);
  if (!ready) return;
  const { send, message, store, reason, keptUntil } = ready;
  const settle = (state: Settled['state'], more: { reason?: string; subject?: string }) =>
    desk.settle({ id: ref.id, personId: send.person_id, state, at: store.now, ...more });
  if (reason) return settle('skipped', { reason });
  if (keptUntil !== null) return keepBack(context.db, [{ id: ref.id, until: keptUntil }]);
  if (message.channel !== 'email') return carryText(context, ref, ready, message.channel, settle);
  const links = linksOf(context, { ...ref, personId: send.person_id }, isTracked(send.attributes, store.world), store.now);
  const personal = personalOf(send.attributes, send.about ?? {}, store, answeredOf(send.answers), ready.offer, send.holds);
  const rendered = await tryRender(message, personal, links, ready);
  // the same text comes out the next time: it is not tried again
  if ('problem' in rendered) return settle('failed', { reason: rendered.problem });
  const attached = await attachedTo(context.db, message);
  if ('problem' in attached) return settle('failed', { reason: attached.problem });
  let handed: Handed;
  try {
    handed = await (message.kind === 'service' ? (context.urgentMailer ?? context.mailer) : context.mailer).send({
      ...rendered,
      from: (message.sender !== undefined && ready.senders.get(message.sender)) || { name: store.name, address: store.fromEmail },
      to: { name: nameOf(send.attributes), address: addressOf('email', send.attributes)! },
      messageId: messageIdOf('send', ref.id, store.fromEmail),
      date: new Date(store.now),
      unsubscribeUrl: message.kind === 'marketing' ? links.unsubscribeUrl : null,
      ...(message.replyTo && { replyTo: message.replyTo }),
      attachments: attached.attachments,
    });
  } catch (error) {
    await leaveSend(context.db, ref);
    throw error;
  }
  await settle(handed.taken ? 'sent' : 'failed', { subject: rendered.subject, ...(!handed.taken && { reason: handed.reason }) });
}

/** Hands a text message, or one for a locked screen, to its gateway: the addresses in it are short ones of ours, which count clicks. */
async function carryText(
  context: Dispatch,
  ref: SendRef,
  ready: Ready,
  channel: 'sms' | 'push',
  settle: (state: Settled['state'], more: { reason?: string; subject?: string }) => Promise<void>,
): Promise<void> {
  const { send, message, store, offer } = ready;
  const short: { code: string; url: string }[] = [];
  const isCounted = isTracked(send.attributes, store.world);
  const links: Links = {
    unsubscribeUrl: '',
    pixelUrl: null,
    track: (url) => {
      if (!isCounted) return url;
      const code = shortCode(context.secret, ref.id, url);
      short.push({ code, url });
      return `${context.url}/s/${code}`;
    },
  };
  const personal = personalOf(send.attributes, send.about ?? {}, store, answeredOf(send.answers), offer, send.holds);
  const rendered = await tryRender(message, personal, links, ready);
  if ('problem' in rendered) return settle('failed', { reason: rendered.problem });
  const { subject, text, url, picture } = rendered;
  const { parts } = smsLength(text);
  if (channel === 'sms' && parts > MOST_PARTS)
    return settle('failed', { subject, reason: `filled in it is ${parts} text messages long, and at most ${MOST_PARTS} go out as one` });
  let handed: Handed;
  try {
    await keepShortLinks(context.db, { personId: send.person_id, id: ref.id }, short, store.now);
    handed = await (context.gateways?.[channel] ?? openGateway('', '', CHANNEL_WORDS[channel].noun)).send({
      id: `send-${ref.id}`,
      to: addressOf(channel, send.attributes)!,
      from: store.name,
      text,
      contact: store.fromEmail,
      ...(channel === 'push' && { title: subject, ...(url && { url }), ...(picture && { picture }) }),
    });
  } catch (error) {
    await leaveSend(context.db, ref);
    throw error;
  }
  await settle(handed.taken ? 'sent' : 'failed', { subject, ...(!handed.taken && { reason: handed.reason }) });
  if (!handed.taken && handed.isGone) await suppressPerson(context.db, send.person_id, 'bounced', { channel });
}

/** Takes sends in hand and looks at each once more: null for those that are over or in the hands of another. */
async function lookAt(context: Dispatch, refs: readonly SendRef[]): Promise<(Ready | null)[]> {
  const { db } = context;
  const taken = await takeSends(db, refs, holderOf(context));
  if (!taken.size) return refs.map(() => null);
  const store = await readStore(db);
  const sends = [...taken.values()];
  const { over: overtaken, passes, paused } = await overtakenBecause(db, sends, store);
  // a pause keeps them back; those of a flow that has gone on meanwhile are looked at once more
  const kept = sends.filter(({ id }) => paused.has(id)).map(({ person_id: personId, id }) => ({ personId, id }));
  if (kept.length) await queueDispatch(db, await keepPaused(db, kept));
  const ready = new Map<string, Ready>();
  const messages = await Promise.all(sends.map((send) => messageFor(db, send)));
  const codes = await codesOfRuns(
    db,
    sends.filter((_, index) => namesCode(messages[index]!)).map((send) => ({ personId: send.person_id, runId: send.run_id })),
  );
  const letters = sends.flatMap((send, index) => {
    const message = messages[index]!;
    return message.channel === 'email' ? [{ id: send.id, personId: send.person_id, email: message, about: send.about ?? {} }] : [];
  });
  const brands = letters.length ? await readBrands(db, store.name) : new Map();
  const senders = letters.some(({ email }) => email.sender !== undefined) ? await readSenders(db) : new Map();
  const found = new Map((await findForLetters(db, letters, store.now)).map((one, index) => [letters[index]!.id, one]));
  for (const [index, send] of sends.entries()) {
    if (paused.has(send.id)) continue;
    const message = messages[index]!;
    const code = namesCode(message) ? codes.get(send.run_id) : undefined;
    const spent = code && code.used_at !== null ? 'the code in it has been used' : null;
    const over = code?.expires_at && code.expires_at.getTime() <= store.now ? 'the code in it is over' : null;
    const passing = passes.get(send.id) ?? { to: 'go' };
    const reason =
      notSentBecause(message, send.reach[message.channel], send.declined, store.now) ??
      overtaken.get(send.id) ??
      spent ??
      over ??
      (passing.to === 'skip' ? sayLimited(passing.because) : null);
    const keptUntil = passing.to === 'hold' ? passing.until : null;
    ready.set(send.id, {
      send,
      message,
      store,
      reason,
      keptUntil,
      offer: code && offerWords(code.code, code.document, code.expires_at, store.zone),
      brands,
      senders,
      found: found.get(send.id),
    });
  }
  const going = [...ready.values()].flatMap(({ send, message, reason, keptUntil }) =>
    !reason && keptUntil === null && message.channel === 'email' && message.kind === 'marketing'
      ? [{ id: send.id, sender: message.sender !== undefined && senders.has(message.sender) ? message.sender : '' }]
      : [],
  );
  for (const [id, until] of await keptByWarmUp(db, going, store)) ready.set(id, { ...ready.get(id)!, keptUntil: until });
  return refs.map((ref) => ready.get(ref.id) ?? null);
}

/**
 * Why messages that were queued are not to go out any more, by what has happened since, in words, by the number of the send;
 * those that may are not among them. The flow may have been paused or the message switched off, the run may be over, its goal
 * reached, its trigger undone. And whether limits let each go at this moment: what was let go may have been long on its way.
 */
async function overtakenBecause(
  db: Db,
  sends: readonly SendRow[],
  store: StoreNow,
): Promise<{ over: Map<string, string>; passes: Map<string, Passes>; paused: Set<string> }> {
  const flows = await flowsNow(db, [...new Set(sends.map((send) => send.flow_id))]);
  const runs = await findRuns(
    db,
    sends.map(({ person_id, run_id }) => ({ person_id, id: run_id })),
  );
  const over = new Map<string, string>();
  const passes = new Map<string, Passes>();
  const paused = new Set<string>();
  const runningOf = (send: SendRow, document: FlowDocument) => ({
    document,
    key: flows.get(send.flow_id)?.key ?? '',
    zone: store.zone,
    world: store.world,
    limits: store.limits,
  });
  const asked: { send: SendRow; document: FlowDocument; run: Run }[] = [];
  for (const send of sends) {
    const [flow, row] = [flows.get(send.flow_id), runs.get(send.run_id)];
    if (!flow || !row) over.set(send.id, 'its run is not on file any more');
    else if (flow.state === 'paused') paused.add(send.id);
    else if (flow.state !== 'on') over.set(send.id, 'the flow was not on any more');
    else {
      const document = await readVersion(db, send.flow_id, send.version);
      const newest = flow.version === null || flow.version === send.version ? document : await readVersion(db, send.flow_id, flow.version);
      const step = planOf(newest).steps.get(send.step_id);
      const run = toRun(row);
      if (step?.kind === 'send' && step.off) over.set(send.id, 'this message was switched off before it went out');
      else if (run.outcome === 'left' || run.outcome === 'undone') over.set(send.id, 'the run had ended before it went out');
      // the steps after it may be done, and a run that is through is woken by nothing: what is asked is whether it would still be inside
      else asked.push({ send, document, run: { ...run, phase: 'inside', isDoubtful: true } });
    }
  }
  const events = new Map<string, { events: ReturnType<typeof asksOf> }>();
  for (const { send, document, run } of asked) {
    const asks = asksOf(runningOf(send, document), run, { now: store.now, dueAt: store.now });
    events.set(send.person_id, { events: [...(events.get(send.person_id)?.events ?? []), ...asks] });
  }
  const facts = await loadFacts(db, events, factsNeeded(asked.map(({ send, document }) => runningOf(send, document))));
  for (const { send, document, run } of asked) {
    const known = facts.get(send.person_id);
    if (!known) continue;
    const reason = overBecause(runningOf(send, document), run, known, store.now);
    if (reason) over.set(send.id, sayOver(reason, document, run));
    const step = planOf(document).steps.get(send.step_id);
    if (step?.kind !== 'send' || !store.limits) continue;
    const { kind, channel } = step.message;
    const message = { personId: send.person_id, kind, channel, own: step.limits };
    passes.set(send.id, gate(message, eventsOf(known, MESSAGE_SENT), store.limits, store.now, store.zone));
  }
  return { over, passes, paused };
}

function sayOver(over: NonNullable<ReturnType<typeof overBecause>>, document: FlowDocument, run: Run): string {
  switch (over.why) {
    case 'goal':
      return 'the goal was reached before it went out';
    case 'stay':
      return 'the stay rule did not hold any more';
    case 'undone':
      return `what had started it turned out not to be so: ${sayTriggerOff(over.off, document, run.about.trigger)}`;
  }
}

/** Notes sends as failed when their job has used up its attempts. */
export async function giveUp(context: Pick<Dispatch, 'db' | 'worker'>, refs: readonly SendRef[], reason: string): Promise<void> {
  const store = await readStore(context.db);
  for (const ref of refs)
    if (await takeSend(context.db, ref, holderOf(context)))
      await settleSends(context.db, [{ id: ref.id, state: 'failed', at: store.now, reason }]);
}

/** The Message-ID of a mail: of a flow's send, or of a letter that no flow sends. The same at each try, so that no server takes it twice. */
export function messageIdOf(what: 'send' | 'letter', id: string, fromEmail: string): string {
  return `<${what}-${id}@${fromEmail.split('@')[1]}>`;
}

/** What a Message-ID of ours belongs to, or null. */
export function mailOfMessageId(messageId: string): { what: 'send' | 'letter'; id: string } | null {
  const [, what, id] = /^<?(send|letter)-(\d{1,18})@/.exec(messageId) ?? [];
  return id ? { what: what as 'send' | 'letter', id } : null;
}

/** Where a mail's links lead. Of whom it is not to be counted neither openings nor clicks are: links lead straight there. */
function linksOf(context: Dispatch, ref: SendRef, isCounted: boolean, now: Instant): Links {
  const seal = (purpose: 'click' | 'open' | 'leave', url?: string) =>
    sealLink(context.secret, { purpose, personId: ref.personId, sendId: ref.id, ...(url && { url }) });
  return {
    unsubscribeUrl: `${context.url}/leave/${seal('leave')}`,
    preferencesUrl: `${context.url}/prefs/${seal('leave')}`,
    pixelUrl: isCounted ? `${context.url}/seen/${seal('open')}` : null,
    track: (url) => (isCounted ? `${context.url}/go/${seal('click', url)}` : url),
    download: downloadLink(context, isCounted ? ref : null, now),
    // an answer is given by whoever holds the letter, counted or not
    rate: (block, value) =>
      `${context.url}/rate/${sealLink(context.secret, { purpose: 'rate', personId: ref.personId, sendId: ref.id, rating: { block, value } })}`,
  };
}

async function messageFor(sql: Sql, { flow_id, version, step_id, content }: SendRow): Promise<Message> {
  const step = planOf(await readVersion(sql, flow_id, version)).steps.get(step_id);
  if (step?.kind !== 'send') throw new Error(`step ${step_id} of flow ${flow_id} version ${version} is no message`);
  return messageOf(step, content);
}

function nameOf(attributes: { readonly [name: string]: Value }): string {
  return [attributes.firstName, attributes.lastName]
    .filter((part) => typeof part === 'string' && part)
    .join(' ')
    .replace(/[\r\n]+/g, ' ');
}
