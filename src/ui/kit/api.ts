import type { ProblemView } from '@/core/api';

/** An answer of our API that is a problem, as an error with its fields. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly problem: ProblemView,
  ) {
    super(problem.detail);
  }
}

/** Calls the public API as the signed-in person. Throws {@link ApiError} with the problem's words. */
export async function api<T>(
  path: string,
  init: { method?: string; body?: unknown; headers?: Record<string, string>; signal?: AbortSignal } = {},
): Promise<T> {
  let answer: Response;
  try {
    answer = await fetch(`/api/v1${path}`, {
      method: init.method ?? 'GET',
      headers: { ...(init.body !== undefined && { 'content-type': 'application/json' }), ...init.headers },
      ...(init.body !== undefined && { body: JSON.stringify(init.body) }),
      ...(init.signal && { signal: init.signal }),
    });
  } catch (error) {
    if ((error as Error).name === 'AbortError') throw error;
    throw new ApiError(0, { title: 'No answer', status: 0, detail: 'Viatic does not answer. See whether it is running and try again.' });
  }
  if (answer.status === 401) {
    window.location.assign('/sign-in');
  }
  const body: unknown = await answer.json().catch(() => null);
  if (!answer.ok)
    throw new ApiError(
      answer.status,
      (body as ProblemView | null) ?? {
        title: 'No answer',
        status: answer.status,
        detail: `The answer was ${answer.status}, without words.`,
      },
    );
  return body as T;
}
