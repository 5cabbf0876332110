'use client';

import { useState, type ReactNode } from 'react';
import { currencyDigits, sayMoney } from '@/core/money';
import {
  askedCartSchema,
  checkCode,
  codeOf,
  expiryOf,
  offerSchema,
  prefixOf,
  sayExpires,
  sayTerms,
  type Guard,
  type Offer,
} from '@/core/offers';
import { personalise, placeholderProblem } from '@/core/messages';
import { DAY, localDate } from '@/core/time';
import {
  Button,
  DurationField,
  Field,
  inputClass,
  NumberField,
  Part,
  UndoActs,
  useStore,
  useStoreTime,
  useWriting,
  WordList,
} from '../kit';
import { RuleEditor } from '../rules';

const GIVES: readonly (readonly [Offer['gives']['kind'], string])[] = [
  ['percent', 'A share of the cart'],
  ['amount', 'An amount'],
  ['shipping', 'Free shipping'],
  ['gift', 'A gift'],
];
const givesOf = (kind: Offer['gives']['kind']): Offer['gives'] =>
  kind === 'percent'
    ? { kind, percent: 10 }
    : kind === 'amount'
      ? { kind, amount: 5 }
      : kind === 'gift'
        ? { kind, sku: 'gift', name: 'A small gift' }
        : { kind };

type ExpiryWay = 'after' | 'on' | 'never';

/** Writes the terms of an offer; beside them, what they come to. Nothing is stored before Save. */
export function OfferEditor({
  document: given,
  act,
  onSave,
  onCancel,
}: {
  document: Offer;
  act: 'Create' | 'Save';
  onSave: (document: Offer) => Promise<void>;
  onCancel: () => void;
}) {
  const { draft, document, issues, problem, isBusy, hasTried, save } = useWriting(given, offerSchema, onSave);
  const store = useStore();
  const now = useStoreTime();
  const wrong = (path: string) => {
    const issue = issues.find((one) => one.path === path || one.path.startsWith(`${path}.`));
    return issue && (hasTried || path !== 'name') ? `This ${issue.message}` : null;
  };
  const put = (change: Partial<Offer>, tag: string) => draft.edit({ ...document, ...change }, tag);
  /** takes a field out where it is undefined: the document holds no empty places */
  const without = <K extends keyof Offer>(key: K) => {
    const { [key]: _, ...rest } = document;
    draft.edit(rest as Offer, key);
  };
  const { gives, expires, code, only, most, currency } = document;
  const expiryWay: ExpiryWay = expires === null ? 'never' : 'on' in expires ? 'on' : 'after';
  return (
    <div className="grid grid-cols-[1fr_380px] items-start gap-5">
      <div className="grid gap-4">
        <Part title="What it gives" acts={<UndoActs draft={draft} />}>
          <div className="grid gap-3 p-4">
            <Field label="Name" hint="For you: shoppers see the terms" problem={wrong('name')}>
              <input
                value={document.name}
                maxLength={80}
                onChange={(event) => put({ name: event.target.value }, 'name')}
                className={inputClass}
              />
            </Field>
            <div className="grid grid-cols-3 gap-3">
              <Field label="It gives">
                <select
                  value={gives.kind}
                  onChange={(event) => put({ gives: givesOf(event.target.value as Offer['gives']['kind']) }, '')}
                  className={inputClass}
                >
                  {GIVES.map(([kind, words]) => (
                    <option key={kind} value={kind}>
                      {words}
                    </option>
                  ))}
                </select>
              </Field>
              {gives.kind === 'percent' && (
                <Field label="Per cent off" problem={wrong('gives')}>
                  <NumberField
                    min={0.01}
                    max={100}
                    step="any"
                    value={gives.percent}
                    onChange={(percent) => put({ gives: { kind: 'percent', percent } }, 'gives')}
                  />
                </Field>
              )}
              {gives.kind === 'amount' && (
                <Field label={`${currency} off`} problem={wrong('gives')}>
                  <NumberField
                    min={0}
                    step="any"
                    value={gives.amount}
                    onChange={(amount) => put({ gives: { kind: 'amount', amount } }, 'gives')}
                  />
                </Field>
              )}
              {gives.kind === 'gift' && (
                <>
                  <Field label="Article number" problem={wrong('gives.sku')}>
                    <input
                      value={gives.sku}
                      maxLength={120}
                      onChange={(event) => put({ gives: { ...gives, sku: event.target.value } }, 'gives.sku')}
                      className={inputClass}
                    />
                  </Field>
                  <Field label="What it is" problem={wrong('gives.name')}>
                    <input
                      value={gives.name}
                      maxLength={120}
                      onChange={(event) => put({ gives: { ...gives, name: event.target.value } }, 'gives.name')}
                      className={inputClass}
                    />
                  </Field>
                </>
              )}
            </div>
            <Ticked
              label="Only from a certain value of the cart"
              isOn={document.minimum !== undefined}
              onChange={(isOn) => (isOn ? put({ minimum: 50 }, '') : without('minimum'))}
            >
              <div className="w-[160px]">
                <Field label={`At least, ${currency}`} problem={wrong('minimum')}>
                  <NumberField min={0} step="any" value={document.minimum ?? 0} onChange={(minimum) => put({ minimum }, 'minimum')} />
                </Field>
              </div>
            </Ticked>
            <Ticked
              label="Only for some products or categories"
              isOn={only !== undefined}
              onChange={(isOn) => (isOn ? put({ only: { products: [], categories: [] } }, '') : without('only'))}
            >
              <div className="grid grid-cols-2 gap-3">
                <Field label="Article numbers" hint="With commas between" problem={wrong('only')}>
                  <WordList value={only?.products ?? []} onChange={(products) => put({ only: { ...only!, products } }, 'only.products')} />
                </Field>
                <Field label="Categories" hint="As the shop names them">
                  <WordList
                    value={only?.categories ?? []}
                    onChange={(categories) => put({ only: { ...only!, categories } }, 'only.categories')}
                  />
                </Field>
              </div>
            </Ticked>
            <Tick label="Goes together with other codes" isOn={document.combines} onChange={(combines) => put({ combines }, '')} />
            <Tick
              label="An order that is cancelled gives its code back"
              isOn={document.comesBack}
              onChange={(comesBack) => put({ comesBack }, '')}
            />
            <Ticked
              label="Keep it from some by lot, so that it shows what the offer brings"
              isOn={document.holdout !== undefined}
              onChange={(isOn) => {
                const { holdout: _, ...rest } = document;
                draft.edit(isOn ? { ...rest, holdout: 10 } : rest, '');
              }}
            >
              <Field
                label="So many in a hundred of those who would get one"
                hint="At most 50. The same person draws the same in every flow."
              >
                <NumberField
                  min={1}
                  max={50}
                  value={document.holdout ?? 10}
                  onChange={(holdout) => put({ holdout: Math.round(Math.min(50, Math.max(1, holdout))) }, 'holdout')}
                />
              </Field>
            </Ticked>
          </div>
        </Part>

        <Part title="How long a code counts, and how it reads">
          <div className="grid gap-3 p-4">
            <div className="grid grid-cols-[220px_1fr] items-start gap-3">
              <Field label="It counts">
                <select
                  value={expiryWay}
                  onChange={(event) => {
                    const way = event.target.value as ExpiryWay;
                    put(
                      {
                        expires: way === 'never' ? null : way === 'on' ? { on: localDate(now() + 30 * DAY, store.zone) } : { after: 'P3D' },
                      },
                      '',
                    );
                  }}
                  className={inputClass}
                >
                  <option value="after">for so long</option>
                  <option value="on">up to a day</option>
                  <option value="never">for ever</option>
                </select>
              </Field>
              {expires && 'after' in expires && (
                <div className="max-w-[300px]">
                  <DurationField
                    label="From its issue"
                    value={expires.after}
                    onChange={(after) => put({ expires: { after } }, 'expires')}
                  />
                </div>
              )}
              {expires && 'on' in expires && (
                <div className="max-w-[200px]">
                  <Field label="Last day" problem={wrong('expires')}>
                    <input
                      type="date"
                      value={expires.on}
                      onChange={(event) => put({ expires: { on: event.target.value } }, 'expires')}
                      className={inputClass}
                    />
                  </Field>
                </div>
              )}
            </div>
            <p className="text-xs text-soft">
              Days count to the end of the last one, by the clocks of {store.zone}; hours and minutes are exact.
            </p>
            <div className="grid grid-cols-[220px_1fr] items-start gap-3">
              <Field label="Codes are">
                <select
                  value={'loaded' in code ? 'loaded' : 'drawn'}
                  onChange={(event) => put({ code: event.target.value === 'loaded' ? { loaded: true } : { prefix: '', letters: 6 } }, '')}
                  className={inputClass}
                >
                  <option value="drawn">drawn by lot</option>
                  <option value="loaded">the shop’s own, loaded from a file</option>
                </select>
              </Field>
              {'letters' in code && (
                <div className="grid grid-cols-[1fr_110px] items-start gap-3">
                  <Field
                    label="What stands before the letters"
                    hint={'May name the person: {{ person.firstName | fallback: "FIN" }}'}
                    problem={placeholderProblem(code.prefix)}
                  >
                    <input
                      value={code.prefix}
                      maxLength={120}
                      onChange={(event) => put({ code: { ...code, prefix: event.target.value } }, 'code.prefix')}
                      className={inputClass}
                    />
                  </Field>
                  <Field label="Letters" problem={wrong('code.letters')}>
                    <NumberField
                      min={6}
                      max={12}
                      step={1}
                      value={code.letters}
                      onChange={(letters) => put({ code: { ...code, letters } }, 'code.letters')}
                    />
                  </Field>
                </div>
              )}
            </div>
            <Ticked
              label="No more than so many codes"
              isOn={most?.codes !== undefined}
              onChange={(isOn) => draft.edit(bounded(document, { ...most, codes: isOn ? 1000 : undefined }), '')}
            >
              <div className="w-[160px]">
                <Field label="Codes in all" problem={wrong('most.codes')}>
                  <NumberField
                    min={1}
                    step={1}
                    value={most?.codes ?? 0}
                    onChange={(codes) => put({ most: { ...most, codes } }, 'most.codes')}
                  />
                </Field>
              </div>
            </Ticked>
            <Ticked
              label="No more once it has cost so much"
              isOn={most?.discount !== undefined}
              onChange={(isOn) => draft.edit(bounded(document, { ...most, discount: isOn ? 1000 : undefined }), '')}
            >
              <div className="w-[160px]">
                <Field label={`Discount given, ${currency}`} problem={wrong('most.discount')}>
                  <NumberField
                    min={0}
                    step="any"
                    value={most?.discount ?? 0}
                    onChange={(discount) => put({ most: { ...most, discount } }, 'most.discount')}
                  />
                </Field>
              </div>
            </Ticked>
          </div>
        </Part>

        <Part title="Who gets one, and who does not">
          <div className="grid gap-3 p-4">
            <Ticked
              label="Only those for whom a rule holds"
              isOn={document.who !== null}
              onChange={(isOn) => put({ who: isOn ? { all: [] } : null }, '')}
            >
              {document.who && <RuleEditor rule={document.who} onChange={(who, tag) => put({ who }, `who.${tag}`)} />}
            </Ticked>
            <GuardFields guard={document.guard} onChange={(guard, tag) => put({ guard }, tag)} wrong={wrong} />
            {problem && (
              <p role="alert" className="text-stop">
                {problem}
              </p>
            )}
            <div className="flex items-center justify-end gap-2">
              {hasTried && issues.length > 0 && (
                <span role="alert" className="mr-auto text-stop">
                  {issues.length === 1 ? 'One thing is' : `${issues.length} things are`} not right yet.
                </span>
              )}
              <Button onClick={onCancel}>Cancel</Button>
              <Button kind="primary" onClick={save} disabled={isBusy}>
                {isBusy ? 'One moment…' : act}
              </Button>
            </div>
          </div>
        </Part>
      </div>
      <Tried document={document} isSound={!issues.some(({ path }) => path !== 'name')} />
    </div>
  );
}

/** An offer with its bounds, or without where none is left. */
function bounded(document: Offer, most: { codes?: number | undefined; discount?: number | undefined }): Offer {
  const { most: _, ...rest } = document;
  const left = Object.fromEntries(Object.entries(most).filter(([, value]) => value !== undefined));
  return (Object.keys(left).length ? { ...rest, most: left } : rest) as Offer;
}

function Tick({ label, isOn, onChange }: { label: ReactNode; isOn: boolean; onChange: (isOn: boolean) => void }) {
  return (
    <label className="flex items-center gap-2">
      <input type="checkbox" checked={isOn} onChange={(event) => onChange(event.target.checked)} />
      {label}
    </label>
  );
}

/** A tick with what it asks for below, where it is on. */
function Ticked({ children, ...tick }: { label: ReactNode; isOn: boolean; onChange: (isOn: boolean) => void; children: ReactNode }) {
  return (
    <div className="grid gap-2">
      <Tick {...tick} />
      {tick.isOn && <div className="pl-6">{children}</div>}
    </div>
  );
}

/** What keeps the offer from being gamed: each part is a sentence that can be switched on. */
function GuardFields({
  guard,
  onChange,
  wrong,
}: {
  guard: Guard;
  onChange: (guard: Guard, tag: string) => void;
  wrong: (path: string) => string | null;
}) {
  const set = <K extends keyof Guard>(key: K, value: Guard[K] | undefined, tag = '') => {
    const { [key]: _, ...rest } = guard;
    onChange(value === undefined || value === false ? (rest as Guard) : { ...rest, [key]: value }, tag && `guard.${tag}`);
  };
  return (
    <fieldset className="grid gap-3 border-t border-line pt-3">
      <legend className="float-left mb-2 w-full font-semibold">No code goes to anybody who…</legend>
      <Ticked
        label="has had one of any offer lately"
        isOn={guard.gap !== undefined}
        onChange={(isOn) => set('gap', isOn ? 'P30D' : undefined)}
      >
        <div className="max-w-[300px]">
          <DurationField label="Within" value={guard.gap ?? 'P30D'} onChange={(gap) => set('gap', gap, 'gap')} />
        </div>
      </Ticked>
      <Tick label="has had one of this offer, ever" isOn={guard.once === true} onChange={(isOn) => set('once', isOn || undefined)} />
      <Ticked
        label="leaves cart after cart without buying"
        isOn={guard.carts !== undefined}
        onChange={(isOn) => set('carts', isOn ? { over: 3, within: 'P60D' } : undefined)}
      >
        {guard.carts && (
          <div className="flex flex-wrap gap-3">
            <div className="w-[150px]">
              <Field label="More carts than" problem={wrong('guard.carts.over')}>
                <NumberField
                  min={1}
                  max={50}
                  step={1}
                  value={guard.carts.over}
                  onChange={(over) => set('carts', { ...guard.carts!, over }, 'carts')}
                />
              </Field>
            </div>
            <div className="w-[300px]">
              <DurationField
                label="Within"
                value={guard.carts.within}
                onChange={(within) => set('carts', { ...guard.carts!, within }, 'carts')}
              />
            </div>
          </div>
        )}
      </Ticked>
      <Ticked
        label="has only ever bought at a discount"
        isOn={guard.always !== undefined}
        onChange={(isOn) => set('always', isOn ? 2 : undefined)}
      >
        <div className="w-[150px]">
          <Field label="Orders at least" problem={wrong('guard.always')}>
            <NumberField min={2} max={50} step={1} value={guard.always ?? 2} onChange={(always) => set('always', always, 'always')} />
          </Field>
        </div>
      </Ticked>
      <Ticked
        label="has an order on its way"
        isOn={guard.underway !== undefined}
        onChange={(isOn) => set('underway', isOn ? 'P14D' : undefined)}
      >
        <div className="max-w-[300px]">
          <DurationField
            label="Placed within"
            value={guard.underway ?? 'P14D'}
            onChange={(underway) => set('underway', underway, 'underway')}
          />
        </div>
      </Ticked>
      <Ticked
        label="has not yet had messages of the flow without one"
        isOn={guard.after !== undefined}
        onChange={(isOn) => set('after', isOn ? 2 : undefined)}
      >
        <div className="w-[150px]">
          <Field label="Messages before" problem={wrong('guard.after')}>
            <NumberField min={1} max={10} step={1} value={guard.after ?? 2} onChange={(after) => set('after', after, 'after')} />
          </Field>
        </div>
      </Ticked>
      <Tick
        label="shares a phone, a device or an address with somebody who has had one of this offer"
        isOn={guard.shared === true}
        onChange={(isOn) => set('shared', isOn || undefined)}
      />
      <Ticked
        label="matches a rule of your own"
        isOn={guard.never !== undefined}
        onChange={(isOn) => set('never', isOn ? { all: [] } : undefined)}
      >
        {guard.never && <RuleEditor rule={guard.never} onChange={(never, tag) => set('never', never, `never.${tag}`)} />}
      </Ticked>
    </fieldset>
  );
}

/** What the terms come to: as a shopper reads them, and on a cart that can be changed. */
function Tried({ document, isSound }: { document: Offer; isSound: boolean }) {
  const store = useStore();
  const [value, setValue] = useState(120);
  const time = useStoreTime();
  const [now] = useState(time);
  if (!isSound)
    return (
      <Part title="As a shopper reads it">
        <p className="p-4 text-soft">The terms are not complete yet.</p>
      </Part>
    );
  const expiresAt = expiryOf(document, now, store.zone);
  const said = (first: string | null) => {
    if ('loaded' in document.code) return 'a code of the shop’s own';
    const person: Record<string, string> = first === null ? {} : { firstName: first };
    const prefix = prefixOf(personalise(document.code.prefix, { person, event: {}, store: { name: store.name, address: '' } }));
    // the same letters each time: this is only what one looks like
    let n = 3;
    return codeOf(prefix, document.code.letters, (below) => (n = (n * 7 + 5) % below));
  };
  const { currency } = document;
  const checked = checkCode(
    { offer: document, isArchived: false, issuedAt: now, expiresAt, usedAt: null, isTheirs: null },
    askedCartSchema.parse({
      currency,
      value,
      items: document.only ? [{ price: value, sku: document.only.products[0], category: document.only.categories[0] }] : [],
    }),
    now,
    (at) => sayExpires(at, store.zone),
  );
  return (
    <div className="grid gap-4">
      <Part title="As a shopper reads it">
        <div className="grid gap-3 p-4">
          <div className="grid gap-1 rounded-md border border-dashed border-accent p-4">
            <p className="text-lg font-semibold" data-testid="terms">
              {sayTerms(document)}
            </p>
            <p className="font-mono">{said('Robin')}</p>
            <p className="text-soft">
              {expiresAt === null ? 'Counts for ever' : `Issued now, it counts up to ${sayExpires(expiresAt, store.zone)}`}
            </p>
          </div>
          {'letters' in document.code && document.code.prefix.includes('{{') && (
            <p className="text-xs text-soft">
              Where the name is not known: <span className="font-mono">{said(null)}</span>
            </p>
          )}
          <p className="text-xs text-soft">
            In a message behind the step that issues it: {'{{ offer.code }}'}, {'{{ offer.expires }}'}, {'{{ offer.terms }}'}. What tells of
            a code is left out for who has none.
          </p>
        </div>
      </Part>
      <Part title="On a cart">
        <div className="grid gap-3 p-4">
          <Field label={`A cart that comes to, ${currency}`}>
            <NumberField min={0} step={currencyDigits(currency) === 0 ? 1 : 'any'} value={value} onChange={setValue} />
          </Field>
          <p data-testid="on-a-cart">
            {checked.valid ? (
              <>
                <b>{checked.because}</b>{' '}
                {checked.discount.minor > 0 && (
                  <span className="tabular">
                    −{sayMoney(checked.discount)}, leaves{' '}
                    {sayMoney({ currency, minor: Math.round(value * 10 ** (currencyDigits(currency) ?? 2)) - checked.discount.minor })}
                  </span>
                )}
              </>
            ) : (
              checked.because
            )}
          </p>
        </div>
      </Part>
    </div>
  );
}
