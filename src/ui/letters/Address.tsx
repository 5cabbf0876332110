'use client';

import { placeholderProblem } from '@/core/messages';
import { Field, inputClass } from '../kit';

/** Where something leads: an address, or a placeholder that becomes one. What is commonly meant is offered. */
export function Address({
  label,
  value,
  startedBy,
  onChange,
}: {
  label: string;
  value: string;
  startedBy: string | null;
  onChange: (value: string) => void;
}) {
  const known = [
    ...(startedBy?.startsWith('cart.') || startedBy?.startsWith('checkout.')
      ? ['{{ event.checkoutUrl }}', '{{ event.checkoutUrl | with: "code", offer.code }}']
      : []),
    ...(startedBy?.startsWith('product.') ? ['{{ event.url }}'] : []),
  ];
  const id = `addresses-${label.replace(/\W+/g, '-')}`;
  return (
    <Field
      label={label}
      problem={placeholderProblem(value)}
      hint={value.includes('offer.code') ? 'The code is applied by the link' : value ? undefined : 'Begins with https://, or a placeholder'}
    >
      <input
        value={value}
        list={known.length ? id : undefined}
        maxLength={2000}
        onChange={(event) => onChange(event.target.value)}
        className={`${inputClass} font-mono text-xs`}
      />
      {known.length > 0 && (
        <datalist id={id}>
          {known.map((one) => (
            <option key={one} value={one} />
          ))}
        </datalist>
      )}
    </Field>
  );
}
