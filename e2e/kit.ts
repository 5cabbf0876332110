import { expect, type APIRequestContext, type Page } from '@playwright/test';

export const base = () => process.env.VIATIC_E2E_URL!;

/** Calls the public API with the demo's key, as a stranger would. */
export async function api<T = Record<string, never>>(
  request: APIRequestContext,
  method: string,
  path: string,
  data?: unknown,
): Promise<{ status: number; body: T }> {
  const answer = await request.fetch(`${base()}${path.startsWith('/outside') ? path : `/api/v1${path}`}`, {
    method,
    headers: { authorization: 'Bearer demo-key', 'content-type': 'application/json' },
    ...(data !== undefined && { data: JSON.stringify(data) }),
    timeout: 90_000,
  });
  return { status: answer.status(), body: (await answer.json().catch(() => null)) as T };
}

export async function signIn(page: Page): Promise<void> {
  await page.goto(`${base()}/sign-in`);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('heading', { name: 'Flows' })).toBeVisible();
}

export const minor = (text: string): number => Number(text.replace(/[^\d-]/g, ''));
let n = 0;
export const someone = (name: string): string => `${name}.${Date.now()}.${++n}@example.com`;
