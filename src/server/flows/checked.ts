import type { PreflightView } from '@/core/api';
import { armsOf, eventUses, handsTo, mendOf, planOf, preflight, weighed, type Finding, type FlowDocument, type Lately } from '@/core/flows';
import { checkBroadcast } from '@/core/broadcasts';
import { failedChecks, runChecks } from '@/core/replay';
import { DAY } from '@/core/time';
import type { Db, Sql } from '@/data/db';
import { armCounts, formsSince, findFlow, flowsBeside, limitedLately, reachOfEvents, readVersion } from '@/data/flows';
import { namedOnFile } from '@/data/rules';
import { typeProperties, typesSeen } from '@/data/sources';
import { readStore, type StoreNow } from '@/data/store';
import { linksThatFail } from './links';
import { notFound } from '../http';

const DAYS = 90;
/** How many values of a property the catalogue shows; where there are as many, one that is missing may just be rare. */
const SHOWN = 30;
/** How many types of events a flow may look at before their properties are left aside. */
const MOST_TYPES = 40;

/** The types of events that have arrived; null where nothing has yet, so that nothing is said of it. */
async function seenTypes(sql: Sql): Promise<{ value: string; count: number }[] | null> {
  const seen = await typesSeen(sql);
  return seen.length ? seen : null;
}

/** What a flow gets wrong by its document, what is on file, and its own checks: what publishing asks. */
export async function findingsOf(sql: Sql, key: string, document: FlowDocument, store: StoreNow): Promise<Finding[]> {
  const checks = runChecks({ key, document, zone: store.zone, world: store.world, offers: store.offers, tables: store.tables }, store.now);
  return [
    ...failedChecks(checks),
    ...checkBroadcast(document, store.now, store.zone),
    ...preflight(document, await namedOnFile(sql), await seenTypes(sql), null, key, store.offers),
  ];
}

/** The preflight of a draft with what the last 90 days tell of it, and what mends each finding in one act. */
export async function preflightOf(db: Db, key: string, inside: readonly string[] = []): Promise<PreflightView> {
  const flow = await findFlow(db, key);
  if (!flow) throw notFound(`flow "${key.slice(0, 60)}"`);
  const store = await readStore(db);
  const { draft } = flow;
  const failing = linksThatFail(draft, inside);
  const checks = runChecks(
    { key, document: draft, zone: store.zone, world: store.world, offers: store.offers, tables: store.tables },
    store.now,
  );
  const findings = weighed(draft, [
    ...failedChecks(checks),
    ...checkBroadcast(draft, store.now, store.zone),
    ...preflight(draft, await namedOnFile(db), await seenTypes(db), await latelyOf(db, flow.id, draft, store), key, store.offers),
    ...(await failing),
  ]);
  const { steps } = planOf(draft);
  return {
    revision: flow.draft_revision,
    checks,
    findings: findings.map((finding) => {
      const step = finding.stepId === null ? undefined : steps.get(finding.stepId);
      const mend = mendOf(draft, finding);
      return {
        severity: finding.level,
        code: finding.code,
        place: finding.stepId === null ? null : { step: finding.stepId, kind: step?.kind ?? 'gone' },
        says: finding.says,
        advice: finding.mend,
        accepted: finding.accepted ?? null,
        mend,
      };
    }),
  };
}

async function latelyOf(db: Db, flowId: number, draft: FlowDocument, { now }: StoreNow): Promise<Lately> {
  const from = now - DAYS * DAY;
  const arms = await armCounts(db, flowId, from, now);
  const others = await flowsBeside(db, flowId, from);
  const types = draft.triggers.map(({ event }) => event).filter((event) => !/^(flow|attribute|segment|list)\./.test(event));
  const asked = [...new Set(eventUses(draft).flatMap(({ type, asks }) => (asks.length ? [type] : [])))].slice(0, MOST_TYPES);
  const properties: Lately['properties'][number][] = [];
  for (const type of asked)
    for (const { name, count, values } of await typeProperties(db, type)) {
      const told = (values ?? []).reduce((sum, value) => sum + value.count, 0);
      const isAll = (values ?? []).length > 0 && values!.length < SHOWN && told >= Number(count);
      properties.push({ type, property: name, values: isAll ? values : null });
    }
  return {
    days: DAYS,
    arms: [...planOf(draft).steps.values()].flatMap((step) =>
      armsOf(step).map((arm) => ({ step: step.id, arm: arm.id, people: arms.get(arm.id)?.people ?? 0 })),
    ),
    others: await Promise.all(
      others.map(async (other) => ({ ...other, handsTo: handsTo(await readVersion(db, other.id, other.version)) })),
    ),
    reach: types.length ? await reachOfEvents(db, types, from) : null,
    limited: await limitedLately(db, flowId, from),
    properties,
    newForms: await formsSince(db, flowId),
  };
}
