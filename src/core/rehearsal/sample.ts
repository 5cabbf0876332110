import type { FlowDocument } from '../flows';
import type { Value } from '../rules';

const VALUES = [140, 60, 24, 240, 90, 12] as const;

/** What starts a flow, as a first guess; each further one with another amount, so that people part at branches. */
export function sampleEvent(
  document: FlowDocument,
  index = 0,
): { readonly type: string; readonly data: { readonly [name: string]: Value } } {
  const { event, key } = document.triggers[0]!;
  return {
    type: event,
    data: {
      ...(key && { [key]: `example-${index + 1}` }),
      ...(/^(cart|order|checkout)\./.test(event) && { value: VALUES[index % VALUES.length]!, currency: 'EUR' }),
    },
  };
}
