'use client';

import { sayDone, sayName, type WhereTest } from '@/core/rules';
import { sayCount } from '../kit';
import type { Catalogue } from './compared';
import { FindWord } from './words';

/** An event of the catalogue. */
export function EventWord({
  label = 'Event',
  type,
  known,
  onChange,
}: {
  label?: string;
  type: string;
  known: Catalogue;
  onChange: (type: string) => void;
}) {
  const isKnown = !known.events.length || known.events.some((one) => one.type === type);
  return (
    <>
      <FindWord
        label={label}
        value={type}
        shown={sayDone(type)}
        takesOther
        options={known.events.map((one) => ({ key: one.type, name: sayDone(one.type), note: `${sayCount(one.count)} ever` }))}
        onChange={onChange}
      />
      {!isKnown && <span className="ml-1 text-xs text-caution">No such event has arrived yet.</span>}
    </>
  );
}

/** A small word that takes a part of a line out again. */
export function Off({ says = 'leave out', onClick }: { says?: string; onClick: () => void }) {
  return (
    <button type="button" className="text-xs text-accent underline" onClick={onClick}>
      {says}
    </button>
  );
}

export function without<T extends object, K extends keyof T>(test: T, name: K): Omit<T, K> {
  const { [name]: _, ...rest } = test;
  return rest;
}

/** A test with a list of what is asked, or without it when nothing is left of it. */
export const withList = <T extends object>(test: T, name: 'where' | 'meets', list: readonly WhereTest[]): T => {
  const { [name as keyof T]: _, ...rest } = test;
  return (list.length ? { ...rest, [name]: list } : rest) as T;
};

/** An attribute of people; of those that hold dates alone where there are any and they are meant. */
export function AttributeWord({
  value,
  known,
  isDate = false,
  onChange,
}: {
  value: string;
  known: Catalogue;
  isDate?: boolean;
  onChange: (name: string) => void;
}) {
  const dates = isDate ? known.attributes.filter((one) => known.attributeTypes.get(one.name) === 'date') : [];
  return (
    <FindWord
      label="Attribute"
      value={value}
      shown={sayName(value)}
      takesOther={isDate}
      options={(dates.length ? dates : known.attributes).map(({ name }) => ({ key: name, name: sayName(name) }))}
      onChange={onChange}
    />
  );
}
