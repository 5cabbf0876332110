import type { FieldProblem } from '@/core/api';

/** An error that a person can mend, answered as problem details (RFC 9457). */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    readonly detail: string,
    readonly errors: readonly FieldProblem[] = [],
    /** headers that belong to the answer, such as retry-after */
    readonly headers: { readonly [name: string]: string } = {},
  ) {
    super(`${title}: ${detail}`);
  }

  /** The answer to send. */
  response(): Response {
    const body = {
      type: `about:blank#${this.title.toLowerCase().replace(/[^a-z]+/g, '-')}`,
      title: this.title,
      status: this.status,
      detail: this.detail,
      ...(this.errors.length && { errors: this.errors }),
    };
    return new Response(JSON.stringify(body), {
      status: this.status,
      headers: { 'content-type': 'application/problem+json', 'cache-control': 'no-store', ...this.headers },
    });
  }
}

export const notFound = (what: string) => new Problem(404, 'Not found', `There is no ${what}.`);
