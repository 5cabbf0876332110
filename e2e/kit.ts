import AxeBuilder from '@axe-core/playwright';
import { expect, type APIRequestContext, type Cookie, type Page } from '@playwright/test';

/** Those who test beside each other have a store each. */
const mine = (what: 'URL' | 'OUTSIDE' | 'DATABASE'): string => process.env[`VIATIC_E2E_${what}_${process.env.TEST_PARALLEL_INDEX ?? 0}`]!;
export const base = () => mine('URL');
/** Where the stand-ins are, past Viatic. */
export const outside = () => mine('OUTSIDE');
export const databaseUrl = () => mine('DATABASE');

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
    timeout: 300_000,
  });
  return { status: answer.status(), body: (await answer.json().catch(() => null)) as T };
}

let kept: Cookie[] = [];
/**
 * Signs in and goes to a page. By the form, the first time and where it is asked for; else with what that has left, while it holds:
 * two pages less to load for each test.
 */
export async function signIn(page: Page, path = '/today', { byForm = false } = {}): Promise<void> {
  if (!byForm && kept.length) {
    await page.context().addCookies(kept);
    if ((await page.request.get(`${base()}/api/v1/notices`)).ok()) {
      await page.goto(base() + path);
      if (path === '/today') await expect(page.getByRole('heading', { name: 'Today' })).toBeVisible();
      return;
    }
    await page.context().clearCookies();
  }
  await page.goto(`${base()}/sign-in`);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await expect(page.getByRole('heading', { name: 'Today' })).toBeVisible();
  if (!byForm) kept = await page.context().cookies();
  if (path !== '/today') await page.goto(base() + path);
}

export const minor = (text: string): number => Number(text.replace(/[^\d-]/g, ''));
let n = 0;
export const someone = (name: string): string => `${name}.${Date.now()}.${++n}@example.com`;

const LEVELS = ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'];

/**
 * Expects no violation of WCAG 2.2 AA that axe can find, of the page or of a part of it. Frames are left out: in that of a
 * message scripts are forbidden, axe's too.
 */
export async function expectAccessible(page: Page, { part, rules }: { part?: string; rules?: string[] } = {}): Promise<void> {
  // what is being made anew is shown fainter until it is there
  await expect(page.locator('[aria-busy="true"]')).toHaveCount(0);
  let axe = new AxeBuilder({ page }).setLegacyMode(true).exclude('iframe');
  if (part) axe = axe.include(part);
  const { violations } = await (rules ? axe.withRules(rules) : axe.withTags(LEVELS)).analyze();
  const where = (nodes: readonly { target: readonly unknown[] }[]) => nodes.map((node) => node.target.join(' ')).slice(0, 3);
  expect(violations.map((v) => `${new URL(page.url()).pathname} ${v.id}: ${where(v.nodes).join(', ')}`)).toEqual([]);
}

/** The same of pages in both themes, whose difference is their colours alone. */
export async function expectPagesAccessible(page: Page, paths: readonly string[]): Promise<void> {
  for (const path of paths) {
    await page.goto(base() + path);
    await page.getByRole('main').waitFor();
    await page.waitForTimeout(500);
    await expectAccessible(page);
    await page.getByRole('button', { name: /^Switch to the (light|dark) theme$/ }).click();
    await expectAccessible(page, { rules: ['color-contrast'] });
  }
}

export interface Mail {
  subject: string;
  links: string[];
  text: string;
}
/** Waits for a mail to an address whose subject is like that. */
export const mailTo = async (request: APIRequestContext, address: string, subject: RegExp): Promise<Mail> => {
  for (let i = 0; i < 480; i++) {
    const { body } = await api<Mail[]>(request, 'GET', `/outside/api/mail?to=${encodeURIComponent(address)}`);
    const found = body.find((mail) => subject.test(mail.subject));
    if (found) return found;
    await new Promise((done) => setTimeout(done, 250));
  }
  throw new Error(`no mail to ${address} like ${subject}`);
};
