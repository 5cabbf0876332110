import type { Value } from '../rules';

/** The steps of a path such as `order.lines[0].title`, or of one that starts at the root, `$`. */
export function pathSteps(path: string): (string | number)[] {
  return [...path.replace(/^\$\.?/, '').matchAll(/\[(\d+)\]|\["((?:[^"\\]|\\.)*)"\]|([^.[\]]+)/g)].map(([, index, quoted, name]) =>
    index !== undefined ? Number(index) : quoted !== undefined ? unquoted(quoted) : name!,
  );
}

/** A name that stands in quotation marks; one with an escape that JSON has not is taken as it was written. */
function unquoted(text: string): string {
  try {
    return JSON.parse(`"${text}"`) as string;
  } catch {
    return text;
  }
}

/** Writes steps as a path; names that are not plain, or begin like the root, are quoted. */
export function pathOf(steps: readonly (string | number)[]): string {
  return steps.reduce<string>(
    (path, step) =>
      typeof step === 'number'
        ? `${path}[${step}]`
        : /^(?!\$)[^.[\]"\s]+$/.test(step)
          ? path
            ? `${path}.${step}`
            : step
          : `${path}[${JSON.stringify(step)}]`,
    '',
  );
}

/** The value at a path, or undefined. Nothing inherited is ever read. */
export function valueAtPath(root: Value, path: string): Value | undefined {
  let value: Value | undefined = root;
  for (const step of pathSteps(path)) {
    if (value === null || typeof value !== 'object') return undefined;
    if (typeof step === 'number') value = Array.isArray(value) ? (value as readonly Value[])[step] : undefined;
    else value = !Array.isArray(value) && Object.hasOwn(value, step) ? (value as { readonly [name: string]: Value })[step] : undefined;
  }
  return value;
}

/** Every value that stands in a body, with its path: what can be pointed at. Of a list, its first entry. */
export function placesIn(root: Value, most = 400): { readonly path: string; readonly value: Value }[] {
  const found: { path: string; value: Value }[] = [];
  const visit = (value: Value, steps: (string | number)[]): void => {
    if (found.length >= most) return;
    if (steps.length) found.push({ path: pathOf(steps), value });
    if (value === null || typeof value !== 'object' || steps.length > 12) return;
    if (Array.isArray(value)) {
      if (value.length) visit(value[0] as Value, [...steps, 0]);
    } else for (const [name, inner] of Object.entries(value)) visit(inner, [...steps, name]);
  };
  visit(root, []);
  return found;
}
