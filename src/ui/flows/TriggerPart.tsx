'use client';

import type { ReactNode } from 'react';
import type { FlowDocument, ProductTrigger, Trigger } from '@/core/flows';
import { CHANGE_WORDS, sayTrigger } from '@/core/flows';
import { PRODUCT_EVENTS } from '@/core/products';
import { DAY, localDate } from '@/core/time';
import { Button, DurationField, Field, inputClass, NumberField, useStore, useStoreTime } from '../kit';
import { Asked, RuleEditor } from '../rules';
import { EventField, Tick } from './fields';
import { Clocks, ScheduleFields } from './ScheduleFields';

const KINDS: readonly (readonly [Trigger['kind'], string])[] = [
  ['event', 'something that happens'],
  ['silence', 'silence after something'],
  ['schedule', 'a schedule'],
  ['date', 'a day on file'],
  ['change', 'a change on file'],
  ['product', 'a product that changes'],
];

/** Events that only triggers of some kind begin with. */
const OF_OUR_OWN = new Set<string>(['flow.due', 'attribute.changed', ...PRODUCT_EVENTS]);

/** A new trigger of a kind under the same id. */
function freshTrigger(kind: Trigger['kind'], { id, event }: Trigger, tomorrow: string): Trigger {
  const occasion = { event: 'flow.due', key: 'occasion' } as const;
  const type = OF_OUR_OWN.has(event) ? 'order.placed' : event;
  switch (kind) {
    case 'event':
      return { id, kind, event: type, key: null };
    case 'silence':
      return { id, kind, event: type, key: null, after: 'PT1H', unless: { event: 'order.placed' } };
    case 'schedule':
      return { id, kind, ...occasion, starts: `${tomorrow}T09:00`, rule: null, who: null };
    case 'date':
      return { id, kind, ...occasion, name: 'birthday', yearly: true, days: 0, at: '09:00' };
    case 'change':
      return { id, kind, event: 'attribute.changed', key: null, name: 'points' };
    case 'product':
      return { id, kind, event: 'product.restocked', key: 'change', relates: [{ by: 'viewed', within: 'P30D' }] };
  }
}

/** What starts a flow: of which kind, and all that it asks. */
export function TriggerPart({
  document,
  trigger,
  put,
  remove,
}: {
  document: FlowDocument;
  trigger: Trigger;
  put: (trigger: Trigger, field: string) => void;
  /** takes it out, where it is not the only one */
  remove?: () => void;
}) {
  const { zone } = useStore();
  const tomorrow = localDate(useStoreTime()() + DAY, zone);
  const needsKey = document.reentry === 'once-per-key';
  const key = (value: string | null) => (
    <Field
      label="Told apart by"
      hint="A property such as cartId or orderId: each starts for itself."
      problem={needsKey && !value ? '“Once for each” needs a property here.' : null}
    >
      <input
        value={value ?? ''}
        maxLength={60}
        onChange={(event) => put({ ...trigger, key: event.target.value.trim() || null } as Trigger, 'key')}
        className={`${inputClass} font-mono`}
      />
    </Field>
  );
  const asked = (
    <Asked
      event={trigger.event}
      where={trigger.where ?? []}
      {...(trigger.kind === 'change' && { words: CHANGE_WORDS, fresh: { property: 'is', op: 'atLeast', value: 100 } as const })}
      onChange={(where, field) => {
        const { where: _, ...rest } = trigger;
        put((where.length ? { ...rest, where } : rest) as Trigger, field);
      }}
    />
  );
  return (
    <fieldset className="grid gap-3 rounded-md border border-line p-3">
      <legend className="px-1 text-xs font-semibold text-soft">
        {document.triggers.length > 1 ? 'Trigger, one of several' : 'Trigger'}
      </legend>
      <div className="flex items-start justify-between gap-2">
        <p>{sayTrigger(trigger)}</p>
        {remove && <Button onClick={remove}>Remove</Button>}
      </div>
      <Field label="Starts by">
        <select
          value={trigger.kind}
          onChange={(event) => put(freshTrigger(event.target.value as Trigger['kind'], trigger, tomorrow), 'kind')}
          className={inputClass}
        >
          {KINDS.map(([kind, words]) => (
            <option key={kind} value={kind}>
              {words}
            </option>
          ))}
        </select>
      </Field>
      {(trigger.kind === 'event' || trigger.kind === 'silence') && (
        <>
          <EventField label="Event" value={trigger.event} onChange={(event) => put({ ...trigger, event }, 'event')} />
          {asked}
          {key(trigger.key)}
        </>
      )}
      {trigger.kind === 'change' && (
        <>
          <Field
            label="Attribute"
            hint="Whoever it changes for starts, by whichever door the change comes; what somebody is first known with is no change."
          >
            <input
              value={trigger.name}
              maxLength={120}
              onChange={(event) => put({ ...trigger, name: event.target.value.trim() }, 'name')}
              className={`${inputClass} font-mono`}
            />
          </Field>
          {asked}
        </>
      )}
      {trigger.kind === 'silence' && (
        <>
          <DurationField
            label="Silence before somebody enters"
            value={trigger.after}
            onChange={(after) => put({ ...trigger, after }, 'after')}
          />
          <Tick
            label="Ended by another event"
            isOn={trigger.unless !== null}
            onChange={(isOn) => put({ ...trigger, unless: isOn ? { event: 'order.placed' } : null }, 'unless')}
          />
          {trigger.unless && (
            <EventField
              label="Which event"
              value={trigger.unless.event}
              onChange={(event) => put({ ...trigger, unless: { event } }, 'unless.event')}
            />
          )}
        </>
      )}
      {trigger.kind === 'schedule' && (
        <>
          <ScheduleFields trigger={trigger} put={put} />
          <Tick
            label="Only some people"
            isOn={trigger.who !== null}
            onChange={(isOn) => put({ ...trigger, who: isOn ? { all: [] } : null }, 'who')}
          />
          {trigger.who && <RuleEditor rule={trigger.who} onChange={(who, tag) => put({ ...trigger, who }, tag && `who.${tag}`)} />}
        </>
      )}
      {trigger.kind === 'product' && <ProductFields trigger={trigger} put={put} asked={asked} />}
      {trigger.kind === 'date' && (
        <>
          <Field label="Attribute" hint="It holds a day such as 1990-12-03.">
            <input
              value={trigger.name}
              maxLength={120}
              onChange={(event) => put({ ...trigger, name: event.target.value.trim() }, 'name')}
              className={`${inputClass} font-mono`}
            />
          </Field>
          <Tick
            label="Each year, as a birthday comes round"
            isOn={trigger.yearly}
            onChange={(yearly) => put({ ...trigger, yearly }, 'yearly')}
          />
          <div className="grid grid-cols-2 gap-2">
            <Field label="Days after it" hint="Below 0: before">
              <NumberField min={-366} max={366} step={1} value={trigger.days} onChange={(days) => put({ ...trigger, days }, 'days')} />
            </Field>
            <Field label="At">
              <input
                type="time"
                value={trigger.at}
                onChange={(event) => event.target.value && put({ ...trigger, at: event.target.value }, 'at')}
                className={inputClass}
              />
            </Field>
          </div>
          <Clocks trigger={trigger} put={put} />
        </>
      )}
    </fieldset>
  );
}

const RELATIONS: readonly (readonly [ProductTrigger['relates'][number]['by'], string])[] = [
  ['viewed', 'looked at it'],
  ['cart', 'had it in a cart'],
  ['bought', 'bought it'],
  ['category', 'bought something of its category'],
];

/** By what change of a product, and for whom. */
function ProductFields({
  trigger,
  put,
  asked,
}: {
  trigger: Extract<Trigger, { kind: 'product' }>;
  put: (trigger: Trigger, field: string) => void;
  asked: ReactNode;
}) {
  const { relates } = trigger;
  return (
    <>
      <Field label="When" hint="By what the shop tells of its products, under Data, Products">
        <select
          value={trigger.event}
          onChange={(event) => {
            const { where: _, ...rest } = trigger;
            put({ ...rest, event: event.target.value as ProductTrigger['event'] }, 'event');
          }}
          className={inputClass}
        >
          <option value="product.restocked">it is there again</option>
          <option value="product.repriced">it costs something else</option>
        </select>
      </Field>
      {trigger.event === 'product.repriced' && asked}
      <fieldset className="grid gap-2">
        <legend className="mb-1 text-xs font-semibold text-soft">For everybody who…</legend>
        {RELATIONS.map(([by, words]) => {
          const here = relates.find((one) => one.by === by);
          return (
            <div key={by} className="grid gap-2">
              <Tick
                label={words}
                isOn={here !== undefined}
                onChange={(isOn) => {
                  const next = isOn ? [...relates, { by, within: 'P30D' }] : relates.filter((one) => one.by !== by);
                  if (next.length) put({ ...trigger, relates: next }, 'relates');
                }}
              />
              {here && (
                <div className="pl-6">
                  <DurationField
                    label="Within"
                    value={here.within}
                    onChange={(within) =>
                      put({ ...trigger, relates: relates.map((one) => (one.by === by ? { ...one, within } : one)) }, `relates.${by}`)
                    }
                  />
                </div>
              )}
            </div>
          );
        })}
      </fieldset>
      <p className="text-xs text-soft">
        Messages can show it as a cart block, and say {'{{ event.name }}'}, {'{{ event.price }}'}
        {trigger.event === 'product.repriced' && (
          <>
            , {'{{ event.was }}'} and {'{{ event.by }}'} (per cent, below 0 where it is cheaper)
          </>
        )}
        . Ask in the entry rule who can be reached.
      </p>
    </>
  );
}
