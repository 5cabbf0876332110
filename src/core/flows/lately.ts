import type { PropertyTest } from '../rules';
import { nearValues } from '../people';
import { eachStep, type FlowDocument, type Step } from './document';
import { BY_FLOWS, sayNumber, type AddTo } from './finding';
import { planOf } from './plan';
import { armsOf } from './steps';
import { eventUses } from './uses';

/** What has happened in the last days, as far as it tells something of a flow. */
export interface Lately {
  readonly days: number;
  /** how many took each arm of the version that is on, and how many decided there */
  readonly arms: readonly { readonly step: string; readonly arm: string; readonly people: number }[];
  /** flows that are on, with what starts them, to which they hand over, and how many people went into both */
  readonly others: readonly {
    readonly key: string;
    readonly name: string;
    readonly events: readonly string[];
    readonly handsTo: readonly string[];
    readonly both: number;
  }[];
  /** of those who did what starts the flow, how many can be sent marketing by email now */
  readonly reach: { readonly people: number; readonly canBeEmailed: number } | null;
  /** what was to go out, and how much of it limits have kept from going out */
  readonly limited: { readonly messages: number; readonly swallowed: number } | null;
  /** properties that events of a type have borne; with all values, where there are few */
  readonly properties: readonly {
    readonly type: string;
    readonly property: string;
    readonly values: readonly { readonly value: string; readonly count: number }[] | null;
  }[];
  /** open forms that were made after the version that is on */
  readonly newForms: readonly { readonly key: string; readonly name: string }[];
}

/** From how many on what people did tells something. */
const ENOUGH = 20;

/** Which of some forms a flow passes over that is started by certain forms, each of which it names. */
function notHeard(flow: FlowDocument, forms: Lately['newForms']): Lately['newForms'] {
  const named: string[] = [];
  for (const trigger of flow.triggers) {
    if (trigger.kind !== 'event' || trigger.event !== 'form.submitted') continue;
    const asks = trigger.where?.find((one) => one.property === 'formId');
    if (!asks || 'any' in asks || (asks.op !== 'is' && asks.op !== 'oneOf')) return [];
    named.push(...[asks.value].flat().map(String));
  }
  return named.length ? forms.filter(({ key }) => !named.includes(key)) : [];
}

/** What the last days tell of a flow. */
export function lookAtLately(flow: FlowDocument, lately: Lately, key: string, add: AddTo): void {
  const days = `in the last ${lately.days} days`;
  const steps = planOf(flow).steps;
  for (const step of steps.values()) {
    const arms = armsOf(step);
    const counts = lately.arms.filter((one) => one.step === step.id);
    const decided = counts.reduce((sum, { people }) => sum + people, 0);
    if (decided < ENOUGH) continue;
    for (const arm of arms)
      if (!counts.some((one) => one.arm === arm.id && one.people))
        add(
          'arm-not-taken',
          'warns',
          step.id,
          `Nobody took “${arm.name}” ${days}, of ${sayNumber(decided)} who came by`,
          'Is its condition right? If nobody belongs there, take the arm out.',
        );
  }
  for (const { name } of notHeard(flow, lately.newForms))
    add(
      'form-not-heard',
      'warns',
      null,
      `The form “${name}” was made after this flow was last published, and does not start it`,
      'Add it to the forms that the trigger asks for, or let every form start the flow.',
    );
  const own = new Set(flow.triggers.map(({ event }) => event).filter((event) => event !== 'flow.due'));
  for (const other of lately.others) {
    const shared = other.events.find((event) => own.has(event));
    if (shared && other.both)
      add(
        'overlaps',
        'warns',
        null,
        `“${other.name}” starts with ${shared} too: ${sayNumber(other.both)} people went into both ${days}`,
        'Say by the entry rules who is whose, or give one of them the higher priority.',
      );
  }
  const daily = lately.reach ? lately.reach.people / lately.days : 0;
  if (flow.perDay?.beyond === 'wait' && daily > flow.perDay.most)
    add(
      'queue-grows',
      'warns',
      null,
      `About ${sayNumber(Math.round(daily))} people a day did what starts it ${days}, and ${sayNumber(flow.perDay.most)} may enter on one`,
      'Those who wait become more and more, and after a week they do not enter; let more in, or ask for fewer by the entry rule.',
    );
  const loop = loopOf(flow, key, lately.others);
  if (loop)
    add(
      'hands-in-a-circle',
      'warns',
      null,
      `People are handed over in a circle: ${loop.join(' → ')}`,
      'It ends after ten times, but somebody would go through it again and again; let one of the flows end.',
    );
  if (lately.reach && lately.reach.people >= ENOUGH && lately.reach.canBeEmailed < lately.reach.people / 5 && hasMarketing(steps.values()))
    add(
      'few-can-be-reached',
      'warns',
      null,
      `Of ${sayNumber(lately.reach.people)} people who did what starts it ${days}, ${sayNumber(lately.reach.canBeEmailed)} can be sent marketing by email`,
      'Ask for consent before, or see whether this is a service message.',
    );
  if (lately.limited && lately.limited.messages >= ENOUGH && lately.limited.swallowed > lately.limited.messages / 10)
    add(
      'limits-swallow',
      'warns',
      null,
      `Limits kept ${sayNumber(lately.limited.swallowed)} of ${sayNumber(lately.limited.messages)} messages of this flow from going out ${days}`,
      'Give the flow a higher priority, let others send less, or widen the limits under Settings.',
    );
  const known = new Map(lately.properties.map((one) => [`${one.type} ${one.property}`, one]));
  const types = new Set(lately.properties.map(({ type }) => type));
  const told = new Set<string>();
  for (const { type, where, asks } of eventUses(flow)) {
    if (!types.has(type) || BY_FLOWS.test(type)) continue;
    for (const asked of asks) {
      const property = asked.property.split('.')[0]!;
      const of = known.get(`${type} ${property}`);
      const id = JSON.stringify([type, asked]);
      if (told.has(id)) continue;
      told.add(id);
      if (!of) {
        const near = nearValues(
          property,
          lately.properties.filter((one) => one.type === type).map((one) => ({ value: one.property, count: 1 })),
          null,
          3,
        ).map(({ value }) => value);
        add(
          'property-unknown',
          'warns',
          null,
          `A condition (${where}) asks ${type} for ${property}, which it has never borne`,
          near.length ? `Is one of these meant: ${near.join(', ')}?` : 'Check its properties under Data, Event catalogue.',
        );
      } else if (!('any' in asked) && !asked.property.includes('.') && of.values) lookAtValues(asked, type, where, of.values, add);
    }
  }
}

/** Values that are asked for and have never occurred, where all that have are known. */
function lookAtValues(
  asked: PropertyTest,
  type: string,
  where: string,
  values: readonly { readonly value: string; readonly count: number }[],
  add: AddTo,
): void {
  const wanted = asked.op === 'is' ? [asked.value] : asked.op === 'oneOf' && Array.isArray(asked.value) ? asked.value : [];
  for (const value of wanted) {
    if (typeof value !== 'string' || values.some((one) => one.value === value)) continue;
    const near = nearValues(value, values, null, 3).map((one) => `${one.value} (${sayNumber(one.count)})`);
    add(
      'value-unknown',
      'warns',
      null,
      `A condition (${where}) asks whether ${asked.property} of ${type} is “${value}”, which has never occurred`,
      near.length
        ? `Is one of these meant: ${near.join(', ')}?`
        : `It has been ${values
            .slice(0, 3)
            .map((one) => `“${one.value}”`)
            .join(', ')}.`,
    );
  }
}

const hasMarketing = (steps: Iterable<Step>): boolean =>
  [...steps].some((step) => step.kind === 'send' && step.message.kind === 'marketing' && step.message.channel === 'email');

/** To which flows a flow hands people over. */
export function handsTo({ goal, steps }: Pick<FlowDocument, 'goal' | 'steps'>): string[] {
  const to = new Set<string>(goal?.handTo ? [goal.handTo] : []);
  eachStep(steps, (step) => {
    if (step.kind === 'hand') to.add(step.flow);
  });
  return [...to];
}

/** The way on which handing over leads back to this flow, by keys; null where there is none. */
function loopOf(flow: FlowDocument, key: string, others: Lately['others']): string[] | null {
  const next = new Map(others.map((one) => [one.key, one.handsTo]));
  const seen = new Set<string>();
  const walk = (at: string, way: readonly string[]): string[] | null => {
    if (at === key) return [...way, at];
    if (seen.has(at)) return null;
    seen.add(at);
    for (const to of next.get(at) ?? []) {
      const found = walk(to, [...way, at]);
      if (found) return found;
    }
    return null;
  };
  for (const to of handsTo(flow)) {
    const found = walk(to, [key]);
    if (found) return found;
  }
  return null;
}
