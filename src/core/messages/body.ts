import type { Value } from '../rules';
import { personalise, placeholderProblem, valueOfPlaceholder, type Personal } from './personalise';

/**
 * The body of a call: JSON whose texts may hold placeholders. They are filled in behind the reading, text by text, so that
 * whatever somebody is called cannot break out of its place. A text that is nothing but one plain placeholder becomes the value.
 */
export function fillBody(template: string, personal: Personal): Value {
  const fill = (value: Value): Value => {
    if (typeof value === 'string') {
      const plain = valueOfPlaceholder(value, personal);
      return plain === undefined ? personalise(value, personal) : plain;
    }
    if (Array.isArray(value)) return value.map(fill);
    if (value !== null && typeof value === 'object')
      return Object.fromEntries(Object.entries(value).map(([name, one]) => [name, fill(one as Value)]));
    return value;
  };
  return fill(JSON.parse(template) as Value);
}

/** What is wrong with the body of a call, or null. */
export function bodyProblem(template: string): string | null {
  let body: unknown;
  try {
    body = JSON.parse(template);
  } catch (error) {
    return `it is not JSON (${(error as Error).message})`;
  }
  const texts = (value: unknown): string[] =>
    typeof value === 'string' ? [value] : value !== null && typeof value === 'object' ? Object.values(value).flatMap(texts) : [];
  return texts(body).flatMap((text) => placeholderProblem(text) ?? [])[0] ?? null;
}
