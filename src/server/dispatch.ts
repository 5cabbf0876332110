import { planOf } from '@/core/flows';
import { notSentBecause, renderMessage, type Links, type Message } from '@/core/messages';
import type { Value } from '@/core/rules';
import type { Db, Sql } from '@/data/db';
import { ADDRESS } from '@/data/facts';
import { readVersion } from '@/data/flows';
import type { SendRef } from '@/data/runs';
import { holdSend, ownerOfSend, settleSend } from '@/data/sends';
import { readStore, type Store } from '@/data/store';
import { sealLink } from './links';
import type { Mailer } from './mail';

export interface Dispatch {
  readonly db: Db;
  readonly scope: string;
  readonly mailer: Mailer;
  readonly url: string;
  readonly secret: string;
}

const AT_ONCE = 4;

/**
 * Carries out a batch of sends. Each is held, looked at once more (consent may have been withdrawn since it was
 * queued), handed to the mail server and noted. What has been noted is not sent again; when any fails for now, the
 * job fails and comes back for the rest.
 */
export async function dispatch(context: Dispatch, refs: readonly SendRef[]): Promise<void> {
  const failures: unknown[] = [];
  const queue = [...refs];
  const work = async () => {
    for (let ref = queue.shift(); ref; ref = queue.shift()) {
      try {
        await dispatchOne(context, ref);
      } catch (error) {
        failures.push(error);
      }
    }
  };
  await Promise.all(Array.from({ length: AT_ONCE }, work));
  if (failures.length) throw new Error(`${failures.length} of ${refs.length} sends failed for now: ${(failures[0] as Error).message}`);
}

async function dispatchOne(context: Dispatch, given: SendRef): Promise<void> {
  const personId = await ownerOfSend(context.db, given);
  if (!personId) return;
  const ref = { ...given, personId };
  await context.db.transaction(async (trx) => {
    const send = await holdSend(trx, ref);
    if (!send) return;
    const store = await readStore(trx);
    const message = await messageOf(trx, context.scope, send.flow_id, send.version, send.step_id);
    const reason = notSentBecause(message, send.reach.email, send.declined, store.now);
    if (reason) {
      await settleSend(trx, ref, 'skipped', store.now, { reason });
      return;
    }
    const links = linksOf(context, ref);
    const rendered = renderMessage(message, personalOf(send.attributes, send.trigger ?? {}, store), links);
    const handed = await context.mailer.send({
      ...rendered,
      from: { name: store.name, address: store.fromEmail },
      to: { name: nameOf(send.attributes), address: ADDRESS.email(send.attributes)! },
      messageId: messageIdOf('send', ref.id, store.fromEmail),
      date: new Date(store.now),
      unsubscribeUrl: message.kind === 'marketing' ? links.unsubscribeUrl : null,
    });
    await settleSend(trx, ref, handed.taken ? 'sent' : 'failed', store.now, { subject: rendered.subject, ...(!handed.taken && { reason: handed.reason }) });
  });
}

/** Notes sends as failed when their job has used up its attempts. */
export async function giveUp(db: Db, refs: readonly SendRef[], reason: string): Promise<void> {
  const store = await readStore(db);
  for (const ref of refs) {
    await db.transaction(async (trx) => {
      if (await holdSend(trx, ref)) await settleSend(trx, ref, 'failed', store.now, { reason });
    });
  }
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

function linksOf(context: Dispatch, ref: SendRef): Links {
  const seal = (purpose: 'click' | 'open' | 'leave', url?: string) => sealLink(context.secret, { purpose, personId: ref.personId, sendId: ref.id, ...(url && { url }) });
  return {
    unsubscribeUrl: `${context.url}/leave/${seal('leave')}`,
    preferencesUrl: `${context.url}/prefs/${seal('leave')}`,
    pixelUrl: `${context.url}/seen/${seal('open')}`,
    track: (url) => `${context.url}/go/${seal('click', url)}`,
  };
}

async function messageOf(sql: Sql, scope: string, flowId: number, version: number, stepId: string): Promise<Message> {
  const step = planOf(await readVersion(sql, scope, flowId, version)).steps.get(stepId);
  if (step?.kind !== 'send') throw new Error(`step ${stepId} of flow ${flowId} version ${version} is no message`);
  return step.message;
}

/** What placeholders can name, for a person. */
export function personalOf(attributes: { readonly [name: string]: Value }, event: { readonly [name: string]: Value }, store: Store) {
  return { person: attributes, event, store: { name: store.name, address: store.address } };
}

function nameOf(attributes: { readonly [name: string]: Value }): string {
  return [attributes.firstName, attributes.lastName].filter((part) => typeof part === 'string' && part).join(' ').replace(/[\r\n]+/g, ' ');
}
