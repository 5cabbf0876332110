'use client';

import { useQueryClient } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import type { Block, Column, ProductSource } from '@/core/messages';
import { Field, inputClass, NumberField, plural } from '../kit';
import { Address } from './Address';
import { Upload } from './Upload';
import { sayBytes, useFiles } from './useFiles';
import { useDesk, useFeeds, useRange } from './useDesk';
import { freshSource, KIND_WORDS, SOURCE_WORDS } from './words';

/** What can be set of a part of a letter, beside it. */
export function BlockSettings({ block }: { block: Block }) {
  const { put, received, start } = useDesk();
  return (
    <div className="grid gap-3">
      <h3 className="font-semibold">{KIND_WORDS[block.kind].name}</h3>
      <Own block={block} />
      {'align' in block || ['text', 'heading', 'picture', 'button', 'social'].includes(block.kind) ? (
        <Choice
          label="Stands"
          value={('align' in block && block.align) || start}
          options={[
            ['left', 'at the left'],
            ['center', 'in the middle'],
            ['right', 'at the right'],
          ]}
          onChange={(align) => put({ ...block, align: align as 'left' } as Block, '')}
        />
      ) : null}
      {block.kind === 'products' && <Why found={received?.products[block.id] ?? []} />}
      <ShownTo value={block} onChange={(shown) => put({ ...without(block, 'only', 'unless'), ...shown } as Block, '')} />
    </div>
  );
}

const without = <T extends object>(value: T, ...names: string[]): T =>
  Object.fromEntries(Object.entries(value).filter(([name]) => !names.includes(name))) as T;

function Own({ block }: { block: Block }): ReactNode {
  const { put, startedBy } = useDesk();
  const feeds = useFeeds();
  const address = (label: string, value: string, field: string, to: (value: string) => Block) => (
    <Address label={label} value={value} startedBy={startedBy} onChange={(next) => put(to(next), field)} />
  );
  switch (block.kind) {
    case 'heading':
      return (
        <Choice
          label="Size"
          value={String(block.level ?? 2)}
          options={[
            ['1', 'large'],
            ['2', 'middle'],
            ['3', 'small'],
          ]}
          onChange={(level) => put({ ...block, level: Number(level) }, '')}
        />
      );
    case 'button':
      return (
        <>
          {address('Leads to', block.url, 'url', (url) => ({ ...block, url }))}
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={block.full ?? false} onChange={(event) => put({ ...block, full: event.target.checked }, '')} />
            As wide as the letter
          </label>
        </>
      );
    case 'picture':
      return (
        <>
          {address('Address of the picture', block.url, 'url', (url) => ({ ...block, url }))}
          <UploadPicture onDone={(url) => put({ ...block, url }, '')} />
          <Field label="What it shows" hint="Read out, and shown where pictures are hidden">
            <input
              value={block.alt}
              maxLength={300}
              onChange={(event) => put({ ...block, alt: event.target.value }, 'alt')}
              className={inputClass}
            />
          </Field>
          {address('A click on it leads to', block.link ?? '', 'link', (link) => (link ? { ...block, link } : without(block, 'link')))}
          <Field label="Width, % of the room">
            <NumberField
              min={10}
              max={100}
              value={block.width ?? 100}
              onChange={(width) => put({ ...block, width: clamp(width, 10, 100) }, 'width')}
            />
          </Field>
        </>
      );
    case 'download':
      return <FileToFetch block={block} />;
    case 'space':
      return (
        <Field label="Height, px">
          <NumberField
            min={4}
            max={120}
            value={block.height}
            onChange={(height) => put({ ...block, height: clamp(height, 4, 120) }, 'height')}
          />
        </Field>
      );
    case 'cart':
    case 'products':
      return (
        <>
          {block.kind === 'products' && <Products block={block} />}
          <Choice
            label="Shown as"
            value={block.layout ?? (block.kind === 'cart' ? 'table' : 'cards')}
            options={[
              ['table', 'a table'],
              ['cards', 'cards side by side'],
              ['large', block.kind === 'cart' ? 'one large picture: the dearest' : 'one large picture: the first'],
            ]}
            onChange={(layout) => put({ ...block, layout: layout as 'table' }, '')}
          />
        </>
      );
    case 'note':
      return (
        <>
          {address('Picture of them', block.picture ?? '', 'picture', (picture) =>
            picture ? { ...block, picture } : without(block, 'picture'),
          )}
          <UploadPicture onDone={(picture) => put({ ...block, picture }, '')} />
        </>
      );
    case 'rating':
      return (
        <Choice
          label="Answered by"
          value={block.scale}
          options={[
            ['five', 'one to five stars'],
            ['two', 'good or not good'],
          ]}
          onChange={(scale) => put({ ...block, scale: scale as 'five' }, '')}
        />
      );
    case 'feed':
      return (
        <>
          <Field
            label="Feed"
            hint={feeds.data && !feeds.data.feeds.length ? 'No feed is read yet: add one under Messages, Feeds' : undefined}
          >
            <select value={block.feed} onChange={(event) => put({ ...block, feed: event.target.value }, '')} className={inputClass}>
              <option value="">choose</option>
              {feeds.data?.feeds.map((one) => (
                <option key={one.key} value={one.key}>
                  {one.name}
                </option>
              ))}
            </select>
          </Field>
          <Most value={block.most} onChange={(most) => put({ ...block, most }, 'most')} label="How many entries" />
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={block.news === true}
              onChange={(event) => {
                const { news: _, ...rest } = block;
                put(event.target.checked ? { ...rest, news: true } : rest, '');
              }}
            />
            Only what is new since the last time
          </label>
        </>
      );
    case 'columns':
      return (
        <Field label="How many">
          <NumberField
            min={2}
            max={4}
            value={block.columns.length}
            onChange={(many) => {
              const n = clamp(many, 2, 4);
              const columns: Column[] = Array.from({ length: n }, (_, i) => block.columns[i] ?? { id: `${block.id}-${i + 1}`, blocks: [] });
              // what stands in a column that goes is kept in the last one
              const over = block.columns.slice(n).flatMap((one) => one.blocks);
              columns[n - 1] = { ...columns[n - 1]!, blocks: [...columns[n - 1]!.blocks, ...over].slice(0, 20) };
              put({ ...block, columns }, '');
            }}
          />
        </Field>
      );
    default:
      return null;
  }
}

/** Which file is fetched, and for how long. */
function FileToFetch({ block }: { block: Extract<Block, { kind: 'download' }> }) {
  const { put } = useDesk();
  const client = useQueryClient();
  const { data, error } = useFiles();
  const chosen = data?.files.find(({ key }) => key === block.file);
  const choose = (file: string, name: string) => put({ ...block, file, label: block.label || name.replace(/\.\w+$/, '') }, '');
  return (
    <>
      <Field label="File" problem={error?.message ?? null}>
        <select
          value={block.file}
          onChange={(event) => choose(event.target.value, data?.files.find(({ key }) => key === event.target.value)?.name ?? '')}
          className={inputClass}
        >
          <option value="">choose</option>
          {data?.files.map((one) => (
            <option key={one.key} value={one.key}>
              {one.name} ({sayBytes(one.size)})
            </option>
          ))}
          {data && block.file && !chosen && <option value={block.file}>one that is gone</option>}
        </select>
      </Field>
      {chosen && <p className="text-xs text-soft tabular">Fetched {plural(chosen.downloads, 'time', 'times')} from letters so far.</p>}
      <Upload
        label="File to upload"
        words="Upload a file"
        onDone={(key, name) => {
          void client.invalidateQueries({ queryKey: ['files'] });
          choose(key, name);
        }}
      />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={block.days !== undefined}
          onChange={(event) => put(event.target.checked ? { ...block, days: 30 } : without(block, 'days'), '')}
        />
        Only for some days
      </label>
      {block.days !== undefined && (
        <Field label="For how many days after it went out">
          <NumberField min={1} max={730} value={block.days} onChange={(days) => put({ ...block, days: clamp(days, 1, 730) }, 'days')} />
        </Field>
      )}
    </>
  );
}

const clamp = (value: number, least: number, most: number) => Math.round(Math.min(most, Math.max(least, value)));

const Most = ({ label, value, onChange }: { label: string; value: number; onChange: (most: number) => void }) => (
  <Field label={label}>
    <NumberField min={1} max={12} value={value} onChange={(most) => onChange(clamp(most, 1, 12))} />
  </Field>
);

function Choice({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: string;
  options: readonly (readonly [value: string, words: string])[];
  onChange: (value: string) => void;
}) {
  return (
    <Field label={label}>
      <select value={value} onChange={(event) => onChange(event.target.value)} className={inputClass}>
        {options.map(([one, words]) => (
          <option key={one} value={one}>
            {words}
          </option>
        ))}
      </select>
    </Field>
  );
}

function Products({ block }: { block: Extract<Block, { kind: 'products' }> }) {
  const { put } = useDesk();
  return (
    <>
      <Source label="Products that are" from={block.from} onChange={(from) => put({ ...block, from }, 'from')} />
      <Most label="At most" value={block.most} onChange={(most) => put({ ...block, most }, 'most')} />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={block.otherwise !== undefined}
          onChange={(event) =>
            put(event.target.checked ? { ...block, otherwise: { by: 'best-sold', days: 90 } } : without(block, 'otherwise'), '')
          }
        />
        Something else where none is found
      </label>
      {block.otherwise && (
        <Source label="Else those that are" from={block.otherwise} onChange={(otherwise) => put({ ...block, otherwise }, 'otherwise')} />
      )}
      <p className="text-xs text-soft">Never what they bought within 90 days, and never what is out of stock.</p>
    </>
  );
}

function Source({ label, from, onChange }: { label: string; from: ProductSource; onChange: (from: ProductSource) => void }) {
  const { data } = useRange();
  const categories = [...new Set(data?.products.flatMap((one) => one.categories) ?? [])].sort();
  return (
    <>
      <Choice
        label={label}
        value={from.by}
        options={Object.entries(SOURCE_WORDS)}
        onChange={(by) => onChange(freshSource(by as ProductSource['by'], categories[0] ?? 'all'))}
      />
      {from.by === 'category' && (
        <Choice
          label="Category"
          value={from.category}
          options={[...new Set([from.category, ...categories])].map((one) => [one, one] as const)}
          onChange={(category) => onChange({ ...from, category })}
        />
      )}
      {'days' in from && (
        <Field label="Within how many days">
          <NumberField min={1} max={730} value={from.days} onChange={(days) => onChange({ ...from, days: clamp(days, 1, 730) })} />
        </Field>
      )}
      {from.by === 'chosen' && <Chosen skus={from.skus} onChange={(skus) => onChange({ ...from, skus })} />}
    </>
  );
}

function Chosen({ skus, onChange }: { skus: readonly string[]; onChange: (skus: string[]) => void }) {
  const { data } = useRange();
  const name = (sku: string) => data?.products.find((one) => one.sku === sku)?.name ?? sku;
  return (
    <Field label="Which" hint={skus.length ? undefined : 'Type the beginning of a name'}>
      <input
        list="products-to-choose"
        placeholder="Add a product"
        className={inputClass}
        onChange={(event) => {
          const found = data?.products.find((one) => one.sku === event.target.value || one.name === event.target.value);
          if (!found || skus.includes(found.sku)) return;
          onChange([...skus, found.sku].slice(0, 24));
          event.target.value = '';
        }}
      />
      <datalist id="products-to-choose">
        {data?.products.map((one) => (
          <option key={one.sku} value={one.name} />
        ))}
      </datalist>
      <span className="grid gap-0.5">
        {skus.map((sku) => (
          <span key={sku} className="flex items-center justify-between gap-2">
            <span className="truncate" title={sku}>
              {name(sku)}
            </span>
            <button type="button" className="min-h-6 text-accent underline" onClick={() => onChange(skus.filter((one) => one !== sku))}>
              Remove
            </button>
          </span>
        ))}
      </span>
    </Field>
  );
}

/** Why these products, for the person chosen. */
function Why({ found }: { found: readonly { name: string; why: string }[] }) {
  if (!found.length) return null;
  return (
    <details>
      <summary className="font-semibold">Why these?</summary>
      <ul className="mt-1 grid gap-1 text-xs">
        {found.map((one) => (
          <li key={one.name}>
            <b>{one.name}</b>: {one.why}
          </li>
        ))}
      </ul>
    </details>
  );
}

/** Who sees a part: everybody, those of whom a condition holds, or those of whom it does not. */
export function ShownTo({
  value,
  onChange,
}: {
  value: { readonly only?: string | undefined; readonly unless?: string | undefined };
  onChange: (shown: { only?: string; unless?: string }) => void;
}) {
  const { message, openConditions } = useDesk();
  const conditions = message.conditions ?? [];
  const now = value.only ? `only ${value.only}` : value.unless ? `unless ${value.unless}` : '';
  return (
    <Field label="Shown to">
      <select
        value={now}
        className={inputClass}
        onChange={(event) => {
          const [how, id] = event.target.value.split(' ') as [string, string | undefined];
          if (how === 'new') return openConditions();
          onChange(how === 'only' ? { only: id! } : how === 'unless' ? { unless: id! } : {});
        }}
      >
        <option value="">everybody</option>
        {conditions.map(({ id, name }) => (
          <optgroup key={id} label={name}>
            <option value={`only ${id}`}>those of whom it holds</option>
            <option value={`unless ${id}`}>those of whom it does not</option>
          </optgroup>
        ))}
        <option value="new">{conditions.length ? 'Change the conditions…' : 'Only some: write a condition…'}</option>
      </select>
    </Field>
  );
}

const UploadPicture = ({ onDone }: { onDone: (url: string) => void }) => (
  <Upload
    label="Picture to upload"
    words="Upload a picture"
    accept="image/png,image/jpeg,image/gif,image/webp"
    onDone={(key) => onDone(`${window.location.origin}/files/${key}`)}
  />
);
