'use client';

import { clsx } from 'clsx';
import { useQuery } from '@tanstack/react-query';
import { X } from 'lucide-react';
import { useMemo, useState } from 'react';
import { toast } from 'sonner';
import type { SourceDetail, TriedBody, TypeView } from '@/core/api';
import type { Value } from '@/core/rules';
import { guessPlaces, placesIn, valueAtPath, type Mapping } from '@/core/sources';
import { api, Button, Empty, Field, inputClass, Json, Label, plural, sayMoment, useStore, wordsOf } from '../kit';

type Role =
  | 'type'
  | 'time'
  | 'id'
  | 'externalId'
  | 'email'
  | 'phone'
  | 'firstName'
  | 'lastName'
  | 'country'
  | 'consent'
  | 'amount'
  | 'currency'
  | 'cartId'
  | 'orderId'
  | 'items';
const ROLES: readonly (readonly [Role, string])[] = [
  ['type', 'What happened'],
  ['time', 'When'],
  ['id', 'Its id'],
  ['externalId', 'Whose: external id'],
  ['email', 'Whose: email'],
  ['phone', 'Whose: phone'],
  ['firstName', 'First name'],
  ['lastName', 'Last name'],
  ['country', 'Country'],
  ['consent', 'Agreed to email'],
  ['amount', 'Amount'],
  ['currency', 'Currency'],
  ['cartId', 'Cart id'],
  ['orderId', 'Order id'],
  ['items', 'Items'],
];
const ITEM_ROLES = ['name', 'sku', 'quantity', 'price', 'url', 'image'] as const;
type ItemRole = (typeof ITEM_ROLES)[number];
const ITEM_WORDS: { readonly [role in ItemRole]: string } = {
  name: 'Item: name',
  sku: 'Item: article number',
  quantity: 'Item: how many',
  price: 'Item: price of one',
  url: 'Item: page',
  image: 'Item: picture',
};
const PERSON = ['externalId', 'email', 'phone', 'firstName', 'lastName', 'country', 'consent'] as const;

interface Draft {
  places: { [role in Role]?: string };
  means: Record<string, string>;
  fixedType: string;
  unit: 'major' | 'minor';
  items: { [part in ItemRole]?: string };
  properties: Record<string, string>;
}

function draftOf(mapping: Mapping | null): Draft | null {
  if (!mapping) return null;
  const { person, type } = mapping;
  return {
    places: {
      ...Object.fromEntries(PERSON.flatMap((role) => (person[role] ? [[role, person[role]]] : []))),
      ...('path' in type && { type: type.path }),
      ...(mapping.time && { time: mapping.time }),
      ...(mapping.id && { id: mapping.id }),
      ...(mapping.amount && { amount: mapping.amount.path }),
      ...(mapping.currency && 'path' in mapping.currency && { currency: mapping.currency.path }),
      ...(mapping.cartId && { cartId: mapping.cartId }),
      ...(mapping.orderId && { orderId: mapping.orderId }),
      ...(mapping.items && { items: mapping.items.path }),
    },
    means: 'means' in type ? { ...type.means } : {},
    fixedType: 'fixed' in type ? type.fixed : '',
    unit: mapping.amount?.unit ?? 'major',
    items: mapping.items
      ? Object.fromEntries(ITEM_ROLES.flatMap((part) => (mapping.items![part] ? [[part, mapping.items![part]!]] : [])))
      : {},
    properties: { ...mapping.properties },
  };
}

function mappingOf(draft: Draft): Mapping {
  const { places } = draft;
  const of = (role: Role) => places[role] ?? null;
  return {
    schema: 'viatic.mapping/1',
    type: places.type ? { path: places.type, means: draft.means } : { fixed: draft.fixedType },
    id: of('id'),
    time: of('time'),
    person: Object.fromEntries(PERSON.map((role) => [role, of(role)])) as Mapping['person'],
    amount: places.amount ? { path: places.amount, unit: draft.unit } : null,
    currency: places.currency ? { path: places.currency } : null,
    cartId: of('cartId'),
    orderId: of('orderId'),
    items: places.items ? { path: places.items, ...draft.items } : null,
    properties: draft.properties,
  };
}

/** Chooses by pointing at a sample body which field is what; tried on the last bodies before it is kept as a version. */
export function MappingEditor({ path, source, onSaved }: { path: string; source: SourceDetail; onSaved: () => void }) {
  const store = useStore();
  const types = useQuery({ queryKey: ['catalogue'], queryFn: () => api<{ types: TypeView[] }>('/catalogue') });
  const [sampleAt, setSampleAt] = useState(0);
  const [pasted, setPasted] = useState<string | null>(null);
  const raw = pasted ?? source.bodies[sampleAt]?.raw ?? null;
  const sample = useMemo((): Value | undefined => {
    try {
      return raw === null ? undefined : (JSON.parse(raw) as Value);
    } catch {
      return undefined;
    }
  }, [raw]);
  const places = useMemo(() => (sample === undefined ? [] : placesIn(sample)), [sample]);
  const [draft, setDraft] = useState<Draft>(
    () => draftOf(source.mapping?.document ?? null) ?? { places: {}, means: {}, fixedType: '', unit: 'major', items: {}, properties: {} },
  );
  const [tried, setTried] = useState<TriedBody[] | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const put = (change: Partial<Draft>) => {
    setDraft((before) => ({ ...before, ...change }));
    setTried(null);
  };
  const setPlace = (role: Role, where: string | null) => {
    const { [role]: _, ...rest } = draft.places;
    put({ places: where === null ? rest : { ...rest, [role]: where } });
  };
  const roleAt = new Map(Object.entries(draft.places).map(([role, where]) => [where, role as Role]));
  const propertyAt = new Map(Object.entries(draft.properties).map(([name, where]) => [where, name]));
  const typeValues = draft.places.type
    ? [
        ...new Set(
          source.bodies
            .flatMap((body) => {
              try {
                const value = valueAtPath(JSON.parse(body.raw) as Value, draft.places.type!);
                return typeof value === 'string' || typeof value === 'number' ? [String(value)] : [];
              } catch {
                return [];
              }
            })
            .concat(
              sample !== undefined && typeof valueAtPath(sample, draft.places.type) === 'string'
                ? [valueAtPath(sample, draft.places.type) as string]
                : [],
            ),
        ),
      ]
    : [];
  const itemPlaces =
    draft.places.items && sample !== undefined
      ? placesIn(((valueAtPath(sample, draft.places.items) as readonly Value[] | undefined)?.[0] ?? null) as Value)
      : [];
  const run = async (work: () => Promise<void>) => {
    setProblem(null);
    try {
      await work();
    } catch (error) {
      setProblem(wordsOf(error));
    }
  };
  const tryIt = () =>
    run(async () =>
      setTried(
        (
          await api<{ tried: TriedBody[] }>(`${path}/mapping/try`, {
            method: 'POST',
            body: { mapping: mappingOf(draft), ...(pasted !== null && { sample: pasted }) },
          })
        ).tried,
      ),
    );
  const save = () =>
    run(async () => {
      const done = await api<SourceDetail>(`${path}/mapping`, { method: 'PUT', body: mappingOf(draft) });
      toast.success(`Saved as version ${done.mapping!.version}. It holds for what arrives from now on.`);
      onSaved();
    });

  if (raw === null) {
    return (
      <div className="grid gap-3 p-4">
        <Empty title="No body to point at yet">
          Let the sender send one to the address at the right: it appears here, whether it can be understood or not. Or paste one.
        </Empty>
        <Field label="A sample body, JSON">
          <textarea
            rows={8}
            onChange={(event) => event.target.value.trim() && setPasted(event.target.value)}
            className="w-full rounded-md border border-line bg-panel p-2 font-mono text-xs"
          />
        </Field>
      </div>
    );
  }
  return (
    <div className="grid gap-4 p-4">
      <div className="flex items-end gap-2">
        {source.bodies.length > 0 && pasted === null && (
          <Field label="Sample">
            <select value={sampleAt} onChange={(event) => setSampleAt(Number(event.target.value))} className={inputClass}>
              {source.bodies.map((body, index) => (
                <option key={body.id} value={index}>
                  {sayMoment(body.at, store.zone)}:{' '}
                  {body.outcome.accepted
                    ? plural(body.outcome.accepted, 'event', 'events')
                    : (body.outcome.problems[0]?.wrong ?? 'a repeat')}
                </option>
              ))}
            </select>
          </Field>
        )}
        <Button
          onClick={() => {
            const guess = guessPlaces(places);
            put({ places: { ...guess, ...draft.places } as Draft['places'] });
          }}
          disabled={!places.length}
        >
          Guess from the names
        </Button>
        <div className="flex-1" />
        <Button onClick={() => void tryIt()} disabled={sample === undefined}>
          Try it on {pasted !== null ? 'this body' : plural(Math.min(20, source.bodies.length), 'body', 'bodies')}
        </Button>
        <Button changes="/sources" kind="primary" onClick={() => void save()}>
          Save as version {(source.mapping?.version ?? 0) + 1}
        </Button>
      </div>
      {sample === undefined && (
        <p role="alert" className="text-stop">
          This body is not JSON.
        </p>
      )}
      {problem && (
        <p role="alert" className="text-stop">
          {problem}
        </p>
      )}
      <div className="max-h-[380px] overflow-auto rounded-md border border-line" role="group" aria-label="The sample, field by field">
        {places.map(({ path: where, value }) => {
          const depth = where.split(/[.[]/).length - 1;
          const isLeaf = value === null || typeof value !== 'object';
          const role = roleAt.get(where);
          const property = propertyAt.get(where);
          // a field of the first item stands for that field of each
          const inItem = isLeaf
            ? itemPlaces.find((one) => where === `${draft.places.items}[0].${one.path}` || where === `${draft.places.items}[0]${one.path}`)
                ?.path
            : undefined;
          const itemRole = inItem === undefined ? undefined : ITEM_ROLES.find((part) => draft.items[part] === inItem);
          return (
            <div key={where} className="grid grid-cols-[1fr_190px] items-center gap-2 border-b border-line px-3 py-0.5 last:border-0">
              <span className="truncate font-mono text-xs" style={{ paddingLeft: depth * 14 }}>
                {where.split(/[.]/).at(-1)}
                {isLeaf ? (
                  <span className="text-soft">: {JSON.stringify(value)?.slice(0, 80)}</span>
                ) : (
                  <span className="text-soft">{Array.isArray(value) ? ` [${value.length}]` : ' {…}'}</span>
                )}
              </span>
              {(isLeaf || Array.isArray(value)) && (
                <select
                  aria-label={`What ${where} is`}
                  value={itemRole ?? role ?? (property ? 'property' : '')}
                  className={clsx(
                    'h-6 rounded-sm border px-1 text-xs bg-panel',
                    itemRole || role || property ? 'border-accent font-semibold text-accent' : 'border-line text-soft',
                  )}
                  onChange={(event) => {
                    const next = event.target.value;
                    const nextPlaces = Object.fromEntries(Object.entries(draft.places).filter(([, at]) => at !== where)) as Draft['places'];
                    const nextProperties = Object.fromEntries(Object.entries(draft.properties).filter(([, at]) => at !== where));
                    const nextItems = Object.fromEntries(Object.entries(draft.items).filter(([, at]) => at !== inItem)) as Draft['items'];
                    const part = inItem === undefined ? undefined : ITEM_ROLES.find((one) => one === next);
                    if (part) nextItems[part] = inItem!;
                    else if (next === 'property')
                      nextProperties[
                        where
                          .split(/[.[\]"]+/)
                          .filter(Boolean)
                          .at(-1)!
                          .replace(/[^\p{L}\p{N}_]/gu, '_')
                          .replace(/^(\d)/, '_$1')
                      ] = where;
                    else if (next) nextPlaces[next as Role] = where;
                    put({ places: nextPlaces, properties: nextProperties, items: nextItems });
                  }}
                >
                  <option value="">left out</option>
                  {inItem !== undefined &&
                    ITEM_ROLES.map((part) => (
                      <option key={part} value={part}>
                        {ITEM_WORDS[part]}
                      </option>
                    ))}
                  {ROLES.filter(([key]) => (key === 'items') === Array.isArray(value)).map(([key, name]) => (
                    <option key={key} value={key}>
                      {name}
                    </option>
                  ))}
                  {isLeaf && <option value="property">a property of the event</option>}
                </select>
              )}
            </div>
          );
        })}
      </div>
      <div className="grid grid-cols-2 gap-4">
        <section className="grid content-start gap-2">
          <h3 className="text-xs font-semibold text-soft">What happened</h3>
          {draft.places.type ? (
            [...new Set([...typeValues, ...Object.keys(draft.means)])].map((said) => (
              <div key={said} className="grid grid-cols-[1fr_auto_1fr] items-center gap-2">
                <code className="truncate font-mono text-xs">{said}</code>
                <span className="text-soft">means</span>
                <input
                  aria-label={`What ${said} means`}
                  list="mapping-types"
                  placeholder="left out"
                  value={draft.means[said] ?? ''}
                  onChange={(event) => {
                    const { [said]: _, ...rest } = draft.means;
                    put({ means: event.target.value ? { ...rest, [said]: event.target.value } : rest });
                  }}
                  className={`${inputClass} font-mono text-xs`}
                />
              </div>
            ))
          ) : (
            <Field label="Every body is" hint="Point at a field for the type, or say one for all.">
              <input
                list="mapping-types"
                value={draft.fixedType}
                placeholder="order.placed"
                onChange={(event) => put({ fixedType: event.target.value })}
                className={`${inputClass} font-mono`}
              />
            </Field>
          )}
          <datalist id="mapping-types">
            {[
              'order.placed',
              'order.cancelled',
              'order.refunded',
              'cart.updated',
              'checkout.started',
              'product.viewed',
              'account.created',
              ...(types.data?.types.map((one) => one.type) ?? []),
            ]
              .filter((one, index, list) => list.indexOf(one) === index)
              .map((one) => (
                <option key={one} value={one} />
              ))}
          </datalist>
        </section>
        <section className="grid content-start gap-2">
          {draft.places.amount && (
            <Field label="The amount is in">
              <select value={draft.unit} onChange={(event) => put({ unit: event.target.value as Draft['unit'] })} className={inputClass}>
                <option value="major">whole units, 249.10</option>
                <option value="minor">minor units, 24910</option>
              </select>
            </Field>
          )}
          {draft.places.items && (
            <fieldset className="grid gap-1">
              <legend className="text-xs font-semibold text-soft">Of each item</legend>
              {ITEM_ROLES.map((part) => (
                <label key={part} className="grid grid-cols-[140px_1fr] items-center gap-2 text-sm">
                  {ITEM_WORDS[part].slice(6)}
                  <select
                    value={draft.items[part] ?? ''}
                    onChange={(event) => {
                      const { [part]: _, ...rest } = draft.items;
                      put({ items: event.target.value ? { ...rest, [part]: event.target.value } : rest });
                    }}
                    className={`${inputClass} !h-6 text-xs`}
                  >
                    <option value="">left out</option>
                    {itemPlaces.map((one) => (
                      <option key={one.path} value={one.path}>
                        {one.path}
                      </option>
                    ))}
                  </select>
                </label>
              ))}
            </fieldset>
          )}
          {Object.entries(draft.places)
            .filter(([, where]) => !places.some((one) => one.path === where))
            .map(([role, where]) => (
              <p key={role} className="flex items-center gap-2 text-xs text-caution">
                {ROLES.find(([key]) => key === role)?.[1]} points at <code className="font-mono">{where}</code>, which this sample does not
                have.{' '}
                <button type="button" aria-label={`Take out ${where}`} onClick={() => setPlace(role as Role, null)}>
                  <X size={12} aria-hidden="true" />
                </button>
              </p>
            ))}
        </section>
      </div>
      {tried && (
        <section className="grid gap-2" data-testid="tried">
          <h3 className="text-xs font-semibold text-soft">What the mapping makes of them</h3>
          {tried.map((body) =>
            body.results.map((result, index) => (
              <details key={`${body.id}-${index}`} className="rounded-md border border-line px-3 py-1.5" open={tried.length === 1}>
                <summary>
                  {sayMoment(body.at, store.zone)}:{' '}
                  {'skipped' in result ? (
                    <span className="text-caution">{result.skipped}</span>
                  ) : result.problems.length ? (
                    <span className="text-stop">{result.problems.map((one) => `${one.field} ${one.wrong}`).join('; ')}</span>
                  ) : (
                    <span className="text-good">{String(result.event.type)}</span>
                  )}
                </summary>
                {'event' in result && <Json value={result.event} className="mt-2" />}
              </details>
            )),
          )}
        </section>
      )}
      {source.mappings.length > 0 && (
        <p className="text-xs text-soft">
          {source.mappings.map((one) => (
            <span key={one.version} className="mr-2">
              <Label>version {one.version}</Label> {sayMoment(one.savedAt, store.zone)} by {one.savedBy}
            </span>
          ))}
        </p>
      )}
    </div>
  );
}
