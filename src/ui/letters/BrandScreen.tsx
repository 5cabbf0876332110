'use client';

import { useQueryClient } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { useState } from 'react';
import type { BrandItem } from '@/core/api';
import { brandSchema, COLOUR_NAMES, contrastOf, FONTS, unreadable, type Brand, type Colours, type Email, type Font } from '@/core/messages';
import { slugOf } from '@/core/text';
import {
  api,
  areaClass,
  attempt,
  Button,
  Empty,
  Failed,
  Field,
  inputClass,
  issuesOf,
  NumberField,
  Page,
  Part,
  SavingNote,
  UndoActs,
  useDraft,
  useStore,
} from '../kit';
import { BrandPreview } from './BrandPreview';
import { useBrands } from './useDesk';

const FONT_WORDS: { readonly [font in Font]: string } = {
  plain: 'Plain (Helvetica, Arial)',
  humanist: 'Humanist (Segoe UI, Verdana)',
  book: 'Book (Georgia)',
  old: 'Old style (Palatino)',
  typed: 'Typewriter (Courier)',
};
const COLOUR_WORDS: { readonly [name in keyof Colours]: string } = {
  page: 'Behind the letter',
  sheet: 'The letter',
  ink: 'Text',
  soft: 'What is said aside',
  accent: 'Buttons and links',
  onAccent: 'Words on buttons',
  line: 'Lines',
};

/** How letters look: fonts, colours by day and by night, logo, footer; every letter that is set in a brand follows. */
export function BrandScreen() {
  const { data, error, refetch } = useBrands();
  const [key, setKey] = useState<string | null>(null);
  const client = useQueryClient();
  const store = useStore();
  if (error)
    return (
      <Page title="Brand">
        <Failed error={error} retry={() => void refetch()} />
      </Page>
    );
  if (!data) return <Empty title="Loading…" />;
  const chosen = data.brands.find((one) => one.key === key) ?? data.brands.find(({ isFirst }) => isFirst)!;
  const add = () =>
    attempt(async () => {
      const name = `${store.name} ${data.brands.length + 1}`;
      const fresh = slugOf(name) || `brand-${data.brands.length + 1}`;
      // a brand that was never stored is stored with the first other one, so that there are two
      if (chosen.changedAt === null) await api(`/brands/${chosen.key}`, { method: 'PUT', body: { brand: chosen.brand, isFirst: true } });
      await api(`/brands/${fresh}`, { method: 'PUT', body: { brand: { ...chosen.brand, name } } });
      await client.invalidateQueries({ queryKey: ['brands'] });
      setKey(fresh);
    });
  return (
    <Page
      title="Brand"
      about="How letters look. A change shows in every letter that is set in it, those that wait to go out too."
      acts={
        <Button changes="/brands" onClick={() => void add()}>
          <Plus size={16} aria-hidden="true" /> Another brand
        </Button>
      }
    >
      {data.brands.length > 1 && (
        <div role="group" aria-label="Brands" className="mb-4 flex flex-wrap gap-2">
          {data.brands.map((one) => (
            <button
              key={one.key}
              type="button"
              aria-pressed={one.key === chosen.key}
              onClick={() => setKey(one.key)}
              className={`min-h-8 rounded-md border px-3 ${one.key === chosen.key ? 'border-accent font-semibold text-accent' : 'border-line'}`}
            >
              {one.brand.name}
              {one.isFirst && <span className="text-xs text-soft"> · the first</span>}
            </button>
          ))}
        </div>
      )}
      <BrandEditor key={chosen.key} item={chosen} onDeleted={() => setKey(null)} />
    </Page>
  );
}

function BrandEditor({ item, onDeleted }: { item: BrandItem; onDeleted: () => void }) {
  const client = useQueryClient();
  const store = useStore();
  const renew = () => client.invalidateQueries({ queryKey: ['brands'] });
  const draft = useDraft<Brand, BrandItem & { revision: number }>({
    place: `/brands/${item.key}`,
    document: item.brand,
    revision: 0,
    put: async (brand, revision) => ({
      ...(await api<BrandItem>(`/brands/${item.key}`, { method: 'PUT', body: { brand } })),
      revision: revision + 1,
    }),
    problemsOf: (brand) => issuesOf(brandSchema.safeParse(brand)),
    onSaved: () => void renew(),
  });
  const { document: brand } = draft;
  const put = (change: Partial<Brand>, tag: string) => draft.edit({ ...brand, ...change }, tag);
  const unread = unreadable(brand);
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,560px)] gap-6">
      <div className="grid content-start gap-4">
        <Part
          title="Letters"
          acts={
            <>
              <SavingNote saving={draft.saving} saved="Saved" onReload={() => void renew()} onRetry={() => void draft.save()} />
              <UndoActs draft={draft} />
            </>
          }
        >
          <div className="grid grid-cols-2 gap-3 p-4">
            <Field label="Name">
              <input
                value={brand.name}
                maxLength={80}
                onChange={(event) => put({ name: event.target.value }, 'name')}
                className={inputClass}
              />
            </Field>
            <Field label="How wide a letter is, px">
              <NumberField min={480} max={720} value={brand.width} onChange={(width) => put({ width: Math.round(width) }, 'width')} />
            </Field>
            <FontField label="Text" value={brand.font} onChange={(font) => put({ font }, '')} />
            <FontField label="Headings" value={brand.headings} onChange={(headings) => put({ headings }, '')} />
            <Field label="Size of the text, px">
              <NumberField min={13} max={20} value={brand.size} onChange={(size) => put({ size: Math.round(size) }, 'size')} />
            </Field>
            <Field label="How round corners are, px">
              <NumberField min={0} max={30} value={brand.corner} onChange={(corner) => put({ corner: Math.round(corner) }, 'corner')} />
            </Field>
            <Field label="Logo" hint="Its address; left empty, the name stands there">
              <input
                value={brand.logo?.url ?? ''}
                maxLength={2000}
                placeholder="https://"
                onChange={(event) => {
                  const { logo, ...rest } = brand;
                  draft.edit(event.target.value ? { ...rest, logo: { url: event.target.value, width: logo?.width ?? 160 } } : rest, 'logo');
                }}
                className={`${inputClass} font-mono text-xs`}
              />
            </Field>
            {brand.logo && (
              <Field label="Width of the logo, px">
                <NumberField
                  min={20}
                  max={600}
                  value={brand.logo.width}
                  onChange={(width) => put({ logo: { ...brand.logo!, width: Math.round(width) } }, 'logo-width')}
                />
              </Field>
            )}
          </div>
        </Part>
        <Part title="Colours">
          <div className="grid grid-cols-[1fr_auto_auto] items-center gap-x-4 gap-y-2 p-4">
            <span />
            <b>By day</b>
            <b>By night</b>
            {COLOUR_NAMES.map((name) => (
              <ColourRow key={name} name={name} brand={brand} onChange={(change, tag) => put(change, tag)} />
            ))}
          </div>
          {unread.length > 0 ? (
            <ul className="grid gap-1 border-t border-line px-4 py-3 text-caution">
              {unread.map((one) => (
                <li key={one.by + one.what}>
                  By {one.by}, {one.what} cannot be read well: the contrast is {one.contrast.toFixed(1)}, and should be 4.5 or more.
                </li>
              ))}
            </ul>
          ) : (
            <p className="border-t border-line px-4 py-3 text-soft">
              Everything can be read: the least contrast is{' '}
              {Math.min(
                ...[brand.colours, brand.dark].flatMap((c) => [
                  contrastOf(c.ink, c.sheet),
                  contrastOf(c.soft, c.sheet),
                  contrastOf(c.accent, c.sheet),
                  contrastOf(c.onAccent, c.accent),
                ]),
              ).toFixed(1)}{' '}
              (at least 4.5 is asked, WCAG 2.2).
            </p>
          )}
        </Part>
        <Part title="At the end of each letter">
          <div className="grid gap-3 p-4">
            <Field label="Postal address" hint={`Left empty, that of the store stands there`}>
              <input
                value={brand.address ?? ''}
                maxLength={300}
                placeholder={store.name}
                onChange={(event) => {
                  const { address: _, ...rest } = brand;
                  draft.edit(event.target.value ? { ...rest, address: event.target.value } : rest, 'address');
                }}
                className={inputClass}
              />
            </Field>
            <Field label="What else stands there" hint="Such as the company's registration">
              <textarea
                value={brand.footer}
                rows={2}
                maxLength={1000}
                onChange={(event) => put({ footer: event.target.value }, 'footer')}
                className={areaClass}
              />
            </Field>
            <Field label="Links elsewhere" hint="Shown by the part of that name">
              <span className="grid gap-2">
                {[...brand.social, ...(brand.social.length < 8 ? [{ name: '', url: '' }] : [])].map((one, index) => {
                  const change = (next: { name: string; url: string }) => {
                    const social = [...brand.social];
                    if (next.name || next.url) social[index] = next;
                    else social.splice(index, 1);
                    put({ social }, `social-${index}`);
                  };
                  return (
                    <span key={index} className="grid grid-cols-[140px_1fr] gap-2">
                      <input
                        aria-label={`Name of link ${index + 1}`}
                        value={one.name}
                        maxLength={40}
                        placeholder="Name"
                        onChange={(event) => change({ ...one, name: event.target.value })}
                        className={inputClass}
                      />
                      <input
                        aria-label={`Address of link ${index + 1}`}
                        value={one.url}
                        maxLength={2000}
                        placeholder="https://"
                        onChange={(event) => change({ ...one, url: event.target.value })}
                        className={`${inputClass} font-mono text-xs`}
                      />
                    </span>
                  );
                })}
              </span>
            </Field>
          </div>
        </Part>
        {!item.isFirst && (
          <div className="flex gap-2">
            <Button
              changes="/brands"
              onClick={() =>
                void attempt(async () => {
                  await api(`/brands/${item.key}`, { method: 'PUT', body: { brand, isFirst: true } });
                  await renew();
                }, 'Letters that name no brand are set in it now.')
              }
            >
              Make it the first
            </Button>
            <Button
              changes="/brands"
              onClick={() =>
                void attempt(async () => {
                  await api(`/brands/${item.key}`, { method: 'DELETE' });
                  await renew();
                  onDeleted();
                }, 'Deleted. Letters that were set in it are set in the first.')
              }
            >
              Delete
            </Button>
          </div>
        )}
      </div>
      <BrandPreview brand={brand} message={SAMPLE} />
    </div>
  );
}

const SAMPLE: Email = {
  schema: 'viatic.message/1',
  channel: 'email',
  kind: 'marketing',
  subject: 'As letters look',
  preview: '',
  blocks: [
    { id: 'a', kind: 'heading', text: 'A heading', level: 1 },
    {
      id: 'b',
      kind: 'text',
      text: 'Hello Robin,\n\nthis is how a letter looks: with **words that matter**, [a link](https://shop.example.com/), and\n\n- one thing\n- and another.',
    },
    { id: 'c', kind: 'cart' },
    { id: 'd', kind: 'offer', text: '10 % off with **QF-7K2M9X**, until Sunday' },
    { id: 'e', kind: 'button', label: 'Take me back', url: 'https://shop.example.com/' },
    { id: 'f', kind: 'divider' },
    { id: 'g', kind: 'social' },
  ],
};

function FontField({ label, value, onChange }: { label: string; value: Font; onChange: (font: Font) => void }) {
  return (
    <Field label={label}>
      <select value={value} onChange={(event) => onChange(event.target.value as Font)} className={inputClass}>
        {(Object.keys(FONTS) as Font[]).map((font) => (
          <option key={font} value={font}>
            {FONT_WORDS[font]}
          </option>
        ))}
      </select>
    </Field>
  );
}

function ColourRow({
  name,
  brand,
  onChange,
}: {
  name: keyof Colours;
  brand: Brand;
  onChange: (change: Partial<Brand>, tag: string) => void;
}) {
  const field = (by: 'colours' | 'dark', when: string) => (
    <input
      type="color"
      aria-label={`${COLOUR_WORDS[name]}, ${when}`}
      value={brand[by][name].toLowerCase()}
      onChange={(event) => onChange({ [by]: { ...brand[by], [name]: event.target.value.toUpperCase() } }, `${by}-${name}`)}
      className="h-8 w-16 rounded-md border border-line bg-panel p-0.5"
    />
  );
  return (
    <>
      <span>{COLOUR_WORDS[name]}</span>
      {field('colours', 'by day')}
      {field('dark', 'by night')}
    </>
  );
}
