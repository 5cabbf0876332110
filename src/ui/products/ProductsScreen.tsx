'use client';

import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { toast } from 'sonner';
import type { ProductsView, ProductView } from '@/core/api';
import { sayMoney, toMajor } from '@/core/money';
import type { ProductInput } from '@/core/products';
import {
  api,
  Ask,
  Button,
  CsvField,
  Empty,
  Failed,
  Field,
  inputClass,
  isoOf,
  Label,
  NotKnown,
  NumberField,
  Page,
  plural,
  sayCount,
  sayDate,
  Table,
  type TableColumn,
  useStore,
} from '../kit';
import { ProductFeeds } from './ProductFeeds';

const PAGE = 200;

/** The products of the shop: what they cost, how many there are. What changes here begins flows. */
export function ProductsScreen() {
  const { zone } = useStore();
  const client = useQueryClient();
  const [words, setWords] = useState('');
  const [shown, setShown] = useState(PAGE);
  const [edited, setEdited] = useState<ProductView | 'new' | null>(null);
  const [isLoading, setLoading] = useState(false);
  const [isReading, setReading] = useState(false);
  const { data, error, refetch } = useQuery({
    queryKey: ['products', words, shown],
    queryFn: () => api<ProductsView>(`/products?limit=${Math.min(1000, shown)}${words.trim() && `&q=${encodeURIComponent(words.trim())}`}`),
    placeholderData: keepPreviousData,
    refetchInterval: 15_000,
  });
  const columns = useMemo<TableColumn<ProductView>[]>(
    () => [
      {
        key: 'name',
        name: 'Product',
        value: (one) => one.name,
        show: (one) => (
          <span className="flex items-center gap-3">
            {one.image ? (
              <img
                src={one.image}
                alt=""
                width={32}
                height={32}
                loading="lazy"
                className="size-8 rounded-sm border border-line object-contain"
              />
            ) : (
              <span className="size-8 rounded-sm border border-line" />
            )}
            <span>
              <b>{one.name}</b>
              <span className="block font-mono text-xs text-soft">{one.sku}</span>
            </span>
          </span>
        ),
      },
      { key: 'categories', name: 'Categories', value: (one) => one.categories.join(', ') },
      {
        key: 'price',
        name: 'Price',
        isNumber: true,
        value: (one) => (one.price ? toMajor(one.price) : null),
        show: (one) => (
          <>
            {one.price ? sayMoney(one.price) : <NotKnown what="not known" />}
            {one.compareAt && <s className="block text-xs text-soft">{sayMoney(one.compareAt)}</s>}
          </>
        ),
      },
      {
        key: 'cost',
        name: 'Cost',
        isNumber: true,
        value: (one) => (one.cost ? toMajor(one.cost) : null),
        show: (one) =>
          one.cost ? (
            <>
              {sayMoney(one.cost)}
              {one.price && one.price.minor > 0 && (
                <span className="block text-xs text-soft">
                  {Math.round((100 * (one.price.minor - one.cost.minor)) / one.price.minor)} % is left
                </span>
              )}
            </>
          ) : (
            <NotKnown what="not known" />
          ),
      },
      {
        key: 'stock',
        name: 'In stock',
        isNumber: true,
        value: (one) => one.stock,
        show: (one) =>
          one.stock === null ? (
            <NotKnown what="not counted" />
          ) : one.stock === 0 ? (
            <Label tone="stop">none left</Label>
          ) : (
            sayCount(one.stock)
          ),
      },
      {
        key: 'told',
        name: 'Known by',
        value: (one) => (one.isTold ? 'the shop' : 'events'),
        show: (one) => (one.isTold ? 'the shop' : <span title="Learned from the items of carts and orders">events</span>),
      },
      { key: 'changed', name: 'Changed', value: (one) => isoOf(one.changedAt), show: (one) => sayDate(one.changedAt, zone) },
      {
        key: 'acts',
        name: 'Acts',
        isActs: true,
        show: (one) => (
          <Button changes="/products" kind="quiet" aria-label={`Edit ${one.name}`} onClick={() => setEdited(one)}>
            Edit
          </Button>
        ),
      },
    ],
    [zone],
  );
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  return (
    <Page
      title="Products"
      about="Learned from the items of carts and orders, or told by the shop. One that is there again, or costs something else, can start flows."
      acts={
        <>
          <Button changes="/product-feeds" onClick={() => setReading(true)}>
            Read by itself…
          </Button>
          <Button changes="/products" onClick={() => setLoading(true)}>
            Load a table…
          </Button>
          <Button changes="/products" kind="primary" onClick={() => setEdited('new')}>
            Add product
          </Button>
        </>
      }
    >
      <div className="mb-3 flex items-end gap-3">
        <div className="w-[320px]">
          <Field label="Search products">
            <input
              type="search"
              value={words}
              placeholder="Name, number or category"
              onChange={(event) => setWords(event.target.value)}
              className={inputClass}
            />
          </Field>
        </div>
        {data && (
          <p className="pb-1.5 text-soft">
            {plural(data.total, 'product', 'products')}
            {data.products.length < data.total && `; the first ${sayCount(data.products.length)} are shown`}
          </p>
        )}
      </div>
      <div className="rounded-md border border-line bg-panel">
        <Table name="Products" rows={data?.products} columns={columns} keyOf={(one) => one.sku} />
        {!data ? (
          <Empty title="Loading…" />
        ) : (
          !data.products.length &&
          (words ? (
            <Empty title="No such product" />
          ) : (
            <Empty title="No product yet">They come with the items of carts and orders, from a table, or by PUT /products.</Empty>
          ))
        )}
        {data && data.products.length < data.total && shown < 1000 && (
          <div className="p-3">
            <Button onClick={() => setShown(shown + PAGE)}>Show more</Button>
          </div>
        )}
      </div>
      {edited && (
        <Edit
          product={edited === 'new' ? null : edited}
          onClose={() => setEdited(null)}
          onDone={() => void client.invalidateQueries({ queryKey: ['products'] })}
        />
      )}
      {isReading && <ProductFeeds onClose={() => setReading(false)} />}
      {isLoading && (
        <LoadTable onClose={() => setLoading(false)} onDone={() => void client.invalidateQueries({ queryKey: ['products'] })} />
      )}
    </Page>
  );
}

/** What is known of a product, to be changed by hand. */
function Edit({ product, onClose, onDone }: { product: ProductView | null; onClose: () => void; onDone: () => void }) {
  const { currency } = useStore();
  const [sku, setSku] = useState(product?.sku ?? '');
  const [name, setName] = useState(product?.name ?? '');
  const [price, setPrice] = useState(product?.price ? toMajor(product.price) : 0);
  const [cost, setCost] = useState<string>(product?.cost ? String(toMajor(product.cost)) : '');
  const [isCounted, setCounted] = useState(product?.stock !== null && product !== null);
  const [stock, setStock] = useState(product?.stock ?? 0);
  const [categories, setCategories] = useState(product?.categories.join(', ') ?? '');
  const [url, setUrl] = useState(product?.url ?? '');
  const [image, setImage] = useState(product?.image ?? '');
  const told: ProductInput = {
    name: name.trim(),
    price,
    cost: cost.trim() === '' || !Number.isFinite(Number(cost)) ? null : Math.max(0, Number(cost)),
    stock: isCounted ? stock : null,
    categories: categories
      .split(',')
      .map((one) => one.trim())
      .filter(Boolean),
    url: url.trim() || null,
    image: image.trim() || null,
  };
  return (
    <Ask
      isOpen
      onClose={onClose}
      title={product ? product.name : 'Add product'}
      about="From now on the shop’s own word counts: what events tell of it changes nothing."
      act="Save"
      canAct={sku.trim() !== '' && name.trim() !== ''}
      onAct={async () => {
        await api(`/products/${encodeURIComponent(sku.trim())}`, { method: 'PUT', body: told });
        toast.success(product?.stock === 0 && isCounted && stock > 0 ? 'Saved. Who waits for it is told.' : 'Saved.');
        onDone();
      }}
    >
      {!product && (
        <Field label="Article number">
          <input
            value={sku}
            maxLength={120}
            autoFocus
            onChange={(event) => setSku(event.target.value)}
            className={`${inputClass} font-mono`}
          />
        </Field>
      )}
      <Field label="Name">
        <input value={name} maxLength={300} onChange={(event) => setName(event.target.value)} className={inputClass} />
      </Field>
      <div className="grid grid-cols-2 gap-3">
        <Field label={`Price, ${product?.currency ?? currency}`}>
          <NumberField min={0} step="any" value={price} onChange={setPrice} />
        </Field>
        <Field label={`One costs the shop, ${product?.currency ?? currency}`} hint="For margins; no letter shows it">
          <input
            type="number"
            min={0}
            step="any"
            value={cost}
            placeholder="not known"
            onChange={(event) => setCost(event.target.value)}
            className={inputClass}
          />
        </Field>
        <div className="col-span-2 grid content-end gap-1">
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={isCounted} onChange={(event) => setCounted(event.target.checked)} />
            Counted
          </label>
          {isCounted && <NumberField aria-label="In stock" min={0} step={1} value={stock} onChange={setStock} />}
        </div>
      </div>
      <Field label="Categories" hint="With commas between">
        <input value={categories} onChange={(event) => setCategories(event.target.value)} className={inputClass} />
      </Field>
      <Field label="Its page">
        <input value={url} onChange={(event) => setUrl(event.target.value)} className={inputClass} />
      </Field>
      <Field label="Its picture">
        <input value={image} onChange={(event) => setImage(event.target.value)} className={inputClass} />
      </Field>
    </Ask>
  );
}

/** Takes a table of products from a file. */
function LoadTable({ onClose, onDone }: { onClose: () => void; onDone: () => void }) {
  const [csv, setCsv] = useState('');
  const lines = csv.split('\n').filter((line) => line.trim()).length;
  return (
    <Ask
      isOpen
      onClose={onClose}
      title="Load a table of products"
      about={
        'A CSV whose first line names its columns: sku, and any of name, price, compareAt, cost, currency, url, image, categories ' +
        '(with | between), stock. What is left out stays as it is.'
      }
      act={lines > 1 ? `Load ${plural(lines - 1, 'line', 'lines')}` : 'Load'}
      canAct={lines > 1}
      onAct={async () => {
        const { stored } = await api<{ stored: number }>('/products', { method: 'POST', body: { csv } });
        toast.success(`${plural(stored, 'product is', 'products are')} on file.`);
        onDone();
      }}
    >
      <CsvField value={csv} onChange={setCsv} placeholder={'sku,name,price,stock\nQF-T030,Shoreline tank 30 l,89,12'} />
    </Ask>
  );
}
