import { clsx } from 'clsx';
import type { ReactNode } from 'react';
import type { DirectoryItem } from '@/core/api';
import { sayMoney } from '@/core/money';
import { BARRIER_WORDS, sayName, sayValue } from '@/core/rules';
import { Label, NotKnown, sayDate, type TableColumn, Link } from '../kit';

/** A column of the people table; `sort` is what the server sorts by, and a column without it is not sorted by. */
export interface Column {
  readonly key: string;
  readonly name: string;
  readonly sort?: string;
  readonly isNumber?: boolean;
  /** share of the width */
  readonly width: number;
  readonly show: (person: DirectoryItem, zone: string) => ReactNode;
}

const NAME: Column = {
  key: 'name',
  name: 'Name',
  sort: 'name',
  width: 1.4,
  show: (p) => (
    <Link
      href={`/people/${encodeURIComponent(p.id)}`}
      tabIndex={-1}
      className={clsx('hover:underline', p.name && 'font-semibold')}
      title={p.name ?? undefined}
    >
      {p.name ?? <NotKnown what="no name" />}
    </Link>
  ),
};

/** An address that is broken at its sign, and set smaller, when it is too long for one line. */
function Address({ email }: { email: string }) {
  const at = email.lastIndexOf('@');
  return (
    <span className={clsx('line-clamp-2 whitespace-normal [overflow-wrap:anywhere]', email.length > 34 && 'text-[11px] leading-[13px]')}>
      {email.slice(0, at + 1)}
      <wbr />
      {email.slice(at + 1)}
    </span>
  );
}

/** The columns of the people table that every store has; attributes can be added as further ones. */
export const COLUMNS: readonly Column[] = [
  {
    key: 'email',
    name: 'Email',
    sort: 'email',
    width: 2.2,
    show: (p) => (p.email ? <Address email={p.email} /> : <NotKnown />),
  },
  {
    key: 'id',
    name: 'External id',
    sort: 'id',
    width: 1,
    show: (p) => (p.externalId ? <span className="font-mono text-xs">{p.externalId}</span> : <NotKnown />),
  },
  { key: 'country', name: 'Country', sort: 'attribute:country', width: 0.9, show: (p) => p.country ?? <NotKnown /> },
  {
    key: 'reach',
    name: 'Email may go out',
    width: 1,
    show: (p) =>
      p.barrier ? (
        <span className="text-soft" title={p.unreachable ?? undefined}>
          {BARRIER_WORDS[p.barrier]}
        </span>
      ) : (
        <span className="text-good">yes</span>
      ),
  },
  {
    key: 'tags',
    name: 'Tags',
    width: 1.1,
    show: (p) =>
      p.tags.length ? (
        <span className="flex gap-1 overflow-hidden">
          {p.tags.map((tag) => (
            <Label key={tag}>{tag}</Label>
          ))}
        </span>
      ) : (
        ''
      ),
  },
  {
    key: 'orders',
    name: 'Orders',
    sort: 'orders',
    isNumber: true,
    width: 0.7,
    show: (p) => <span className={p.orders ? '' : 'text-soft'}>{p.orders}</span>,
  },
  {
    key: 'value',
    name: 'Value, net',
    sort: 'value',
    isNumber: true,
    width: 0.9,
    show: (p) => <span className={p.orders ? '' : 'text-soft'}>{sayMoney(p.value)}</span>,
  },
  {
    key: 'lastOrder',
    name: 'Last order',
    sort: 'lastOrder',
    isNumber: true,
    width: 0.95,
    show: (p, zone) => (p.lastOrderAt ? sayDate(p.lastOrderAt, zone) : <NotKnown what="never" />),
  },
  { key: 'seen', name: 'Last seen', sort: 'seen', isNumber: true, width: 0.95, show: (p, zone) => sayDate(p.seenAt, zone) },
  { key: 'created', name: 'On file since', sort: 'created', isNumber: true, width: 0.95, show: (p, zone) => sayDate(p.createdAt, zone) },
];
export const FIRST_COLUMNS = ['email', 'country', 'reach', 'orders', 'value', 'seen'];

/** A column for any attribute. */
const attributeColumn = (name: string): Column => ({
  key: `attribute:${name}`,
  name: sayName(name).replace(/^./, (c) => c.toUpperCase()),
  sort: `attribute:${name}`,
  width: 1.1,
  show: (p) =>
    p.attributes[name] === undefined || p.attributes[name] === null ? (
      <NotKnown />
    ) : typeof p.attributes[name] === 'string' ? (
      p.attributes[name]
    ) : (
      sayValue(p.attributes[name])
    ),
});

/** The columns of the table by their keys, the name first; what is no column is left out. */
export const columnsOf = (keys: readonly string[], zone: string): TableColumn<DirectoryItem>[] =>
  [
    NAME,
    ...keys.map((key) => COLUMNS.find((one) => one.key === key) ?? (key.startsWith('attribute:') ? attributeColumn(key.slice(10)) : null)),
  ]
    .filter((one) => one !== null)
    .map((one) => ({
      key: one.sort ?? one.key,
      name: one.name,
      isNumber: one.isNumber,
      width: one.width,
      className: 'truncate',
      // the server sorts; that there is a value is what lets it be asked
      ...(one.sort && { value: () => null }),
      show: (person) => one.show(person, zone),
    }));
