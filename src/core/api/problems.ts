import type { z } from 'zod';

/** One thing wrong with an input: the field, what was wrong, and what is right. */
export interface FieldProblem {
  readonly field: string;
  readonly wrong: string;
  readonly right: string;
}

const A: Record<string, string> = {
  string: 'a text',
  number: 'a number',
  boolean: 'true or false',
  array: 'a list',
  object: 'an object',
  int: 'a whole number',
  record: 'an object',
};

function pathOf(path: readonly PropertyKey[], prefix: string): string {
  return path.reduce<string>(
    (text, part) => (typeof part === 'number' ? `${text}[${part}]` : text ? `${text}.${String(part)}` : String(part)),
    prefix,
  );
}

/** Turns what Zod found into problems that name the field, what was wrong and what is right. */
export function problemsOf(error: z.ZodError, prefix = ''): FieldProblem[] {
  return error.issues.slice(0, 20).flatMap((issue): FieldProblem[] => {
    const field = pathOf(issue.path, prefix) || 'body';
    switch (issue.code) {
      case 'invalid_type': {
        const isMissing = issue.message.includes('received undefined');
        const right =
          issue.expected === 'number' && issue.message.includes('NaN') ? 'a finite number' : (A[issue.expected] ?? `${issue.expected}`);
        return [{ field, wrong: isMissing ? 'is missing' : 'is of the wrong type', right }];
      }
      case 'too_big':
        return [
          {
            field,
            wrong: 'is too large or too long',
            right: `at most ${issue.maximum}${issue.origin === 'string' ? ' characters' : issue.origin === 'array' ? ' entries' : ''}`,
          },
        ];
      case 'too_small':
        return [
          {
            field,
            wrong: issue.origin !== 'string' ? 'is too small' : issue.minimum === 1 ? 'is empty' : 'is too short',
            right: `at least ${issue.minimum}${issue.origin === 'string' ? (issue.minimum === 1 ? ' character' : ' characters') : issue.origin === 'array' ? (issue.minimum === 1 ? ' entry' : ' entries') : ''}`,
          },
        ];
      case 'unrecognized_keys':
        return issue.keys.map((key) => ({
          field: pathOf([...issue.path, key], prefix),
          wrong: 'is not a field here',
          right: 'leave it out',
        }));
      case 'invalid_value':
        return [{ field, wrong: 'is none of the possible values', right: issue.values.map(String).join(', ') }];
      case 'invalid_union': {
        // the variant that came furthest tells most
        const best = [...issue.errors].sort(
          (a, b) => Math.max(0, ...b.map((i) => i.path.length)) - Math.max(0, ...a.map((i) => i.path.length)) || a.length - b.length,
        )[0];
        if (!best?.length) return [{ field, wrong: 'fits none of the possible forms', right: issue.message }];
        return problemsOf({ issues: best } as unknown as z.ZodError, field === 'body' ? '' : field);
      }
      default:
        return [{ field, wrong: issue.message, right: rightOf(issue) }];
    }
  });
}

/** What is right where a check of our own refused: the check says it (`params.right`), or it is a well-known one. */
function rightOf(issue: z.core.$ZodIssue): string {
  const said = issue.code === 'custom' ? (issue.params?.right as unknown) : undefined;
  return typeof said === 'string' ? said : (RIGHT[issue.message] ?? 'see the description of this field in /api/v1/openapi.json');
}

const RIGHT: Record<string, string> = {
  'is not a name': 'letters, digits, _ . and -, beginning with a letter, for example tankSize',
  'cannot stand in an address': 'an id with another character in it',
  'begins with ~ as our own numbers do': 'an id that begins with something else',
  'is not an email address': 'one address such as robin@example.com',
  'is not a currency of ISO 4217': 'three capital letters such as EUR',
  'is not a zone of the IANA database': 'a name such as Europe/Amsterdam',
  'is not a time': 'RFC 3339 with its offset, between 2000 and tomorrow, such as 2026-11-24T09:30:00Z',
};
