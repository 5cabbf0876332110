import { expect, test, type APIRequestContext, type Page } from '@playwright/test';
import { api, base, expectAccessible, mailTo, outside, signIn, someone } from './kit';

const letter = (subject: string) => ({
  schema: 'viatic.message/1',
  channel: 'email',
  kind: 'marketing',
  subject,
  preview: '',
  blocks: [
    { id: 'b1', kind: 'text', text: 'Hello {{ person.firstName | fallback: "keeper" }}, it is winter.' },
    { id: 'b2', kind: 'button', label: 'To the shop', url: 'https://quillfin.example/winter' },
  ],
});

/** People who can be written to and share a tag nobody else has: as a segment. */
async function crowd(request: APIRequestContext, name: string, many: number): Promise<string[]> {
  const people = Array.from({ length: many }, (_, n) => someone(`${name}${n}`));
  const told = await api<{ accepted: number }>(
    request,
    'POST',
    '/events',
    people.map((email, n) => ({
      id: `${name}-${Date.now()}-${n}`,
      source: 'e2e',
      type: 'page.viewed',
      data: { url: 'https://quillfin.example/', person: { email, crowd: name, consent: { email: true } } },
    })),
  );
  expect(told.body.accepted).toBe(many);
  const made = await api(request, 'PUT', `/segments/${name}`, {
    schema: 'viatic.segment/1',
    name: `Crowd ${name}`,
    rule: { test: 'attribute', name: 'crowd', op: 'is', value: name },
  });
  expect(made.status).toBeLessThan(300);
  await expect.poll(async () => (await api<{ size: number }>(request, 'GET', `/segments/${name}`)).body.size).toBe(many);
  return people;
}
const advance = (request: APIRequestContext, by: string) => api(request, 'POST', '/clock', { advance: by });
const view = async (request: APIRequestContext, key: string) =>
  (await api<{ phase: string; sent: number; queued: number; trial: { waiting: number } | null }>(request, 'GET', `/broadcasts/${key}`))
    .body;
const mailsTo = async (request: APIRequestContext, address: string) =>
  (await api<{ subject: string; text: string; links: string[] }[]>(request, 'GET', `/outside/api/mail?to=${encodeURIComponent(address)}`))
    .body;
const choose = async (page: Page, name: string, option: RegExp) => {
  const field = page.getByRole('combobox', { name });
  await field.selectOption((await field.locator('option').filter({ hasText: option }).first().getAttribute('value'))!);
};

test('a broadcast is written, tried on a part, let go now, chosen of, and goes once more to those who did not open it', async ({
  page,
  request,
}) => {
  const name = `winter${Date.now()}`;
  const people = await crowd(request, name, 24);
  const kept = await api(request, 'PUT', `/messages/${name}`, { name: `Winter letter ${name}`, message: letter('Winter is here') });
  expect(kept.status).toBeLessThan(300);
  await signIn(page);
  await page.getByRole('link', { name: 'Flows', exact: true }).click();
  await page.getByRole('link', { name: 'Broadcasts', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'Broadcasts', exact: true })).toBeVisible();
  await expectAccessible(page);
  await page.getByRole('button', { name: 'New broadcast' }).click();
  await page.getByLabel('A message of the library').check();
  await choose(page, 'Message', new RegExp(name));
  await page.getByRole('dialog').getByLabel('Name').fill(`Winter ${name}`);
  await page.getByRole('button', { name: 'Create' }).click();
  await expect(page.getByLabel('Name of the broadcast')).toHaveValue(`Winter ${name}`);
  const key = new URL(page.url()).pathname.split('/').at(-1)!;

  // who: a segment; what that comes to stands below
  const who = page.getByRole('region', { name: 'Who' });
  await choose(page, 'Goes to: add', new RegExp(`Crowd ${name}`));
  await expect(who.getByRole('region', { name: 'How many' })).toContainText('24 can get it, of 24 people meant.');

  // what: another subject, tried on a part; and once more
  await page.getByRole('button', { name: 'Add another to try…' }).click();
  const second = page.getByRole('region', { name: 'Message 2 of 2' });
  await second.getByLabel('Subject').fill('Snow on the roof');
  await second.getByLabel('Name').fill('Snow');
  await page.getByLabel('Part of the people, %').fill('50');
  await page.getByLabel('Send it once more to those who did nothing with it').check();
  const again = page.getByRole('region', { name: 'Once more' });
  await again.getByLabel('Subject').fill('Once more: winter');
  await page.getByLabel('After, amount').fill('12');
  await page.getByLabel('After, unit').selectOption('hours');
  await expect(page.getByRole('list', { name: 'What happens when' }).getByRole('listitem')).toHaveCount(3);
  await expectAccessible(page);
  await page.keyboard.press('Control+z');
  await page.getByRole('button', { name: 'Redo' }).click();
  await expect(page.getByLabel('After, unit')).toHaveValue('hours');
  await second.getByRole('button', { name: 'Write the letter' }).click();
  await page.getByRole('button', { name: 'To the broadcast' }).click();

  // the last look says it in one sentence; it goes now
  await page.getByRole('button', { name: 'Send…' }).click();
  await expect(page.getByTestId('last-look')).toContainText('24 people get “');
  await expect(page.getByTestId('last-look')).toContainText('or “Snow”, tried on 50 % of the people for 4 hours');
  await page.getByRole('dialog').getByLabel('Now').check();
  await expect(page.getByTestId('last-look')).toContainText('Now, 24 people get');
  await expectAccessible(page, { part: '[role="dialog"]' });
  await page.getByRole('button', { name: 'Send now' }).click();
  await expect(page.getByText('goes out within a minute')).toBeVisible();
  await advance(request, 'PT3M');
  await expect.poll(async () => (await view(request, key)).phase).toBe('trying');
  const tried = await view(request, key);
  expect(tried.sent + tried.trial!.waiting).toBe(24);
  expect(tried.sent).toBeGreaterThan(3);

  // too few to tell for sure: somebody chooses, and the others get that
  await advance(request, 'PT5H');
  await page.getByRole('tab', { name: 'What became of it' }).click();
  await expect(page.getByTestId('trial-says')).toHaveText('No clear winner. Choose the message that everyone else gets.');
  await page.getByRole('button', { name: 'Send “Snow” to the others…' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Send', exact: true }).click();
  await expect.poll(async () => (await view(request, key)).sent).toBe(24);
  await expect(page.getByTestId('trial-says')).toContainText('everyone else gets “Snow”');
  await expect(page.getByTestId('became')).toContainText('It went out on');
  for (const one of people.slice(0, 3)) expect(await mailsTo(request, one)).toHaveLength(1);

  // one follows the link: they are told from the others, by name, as a file, and on the letter
  const [mail] = await mailsTo(request, people[0]!);
  await request.get(
    mail!.links.find((link) => link.includes('/go/'))!,
    { maxRedirects: 0 },
  );
  await page.getByRole('button', { name: 'Who did what…' }).click();
  await page.getByLabel('Who', { exact: true }).selectOption('clicked');
  await expect(page.getByRole('dialog').getByText(people[0]!).first()).toBeVisible();
  await expectAccessible(page, { part: '[role="dialog"]' });
  const file = page.waitForEvent('download');
  await page.getByRole('dialog').getByRole('link', { name: 'Save as CSV' }).click();
  expect((await file).suggestedFilename()).toContain('.csv');
  await page.getByLabel('Who', { exact: true }).selectOption('not-opened');
  await page.getByRole('button', { name: 'Make a segment…' }).click();
  await expect(page.getByLabel('Name', { exact: true })).toHaveValue(/Got it and did not open it/);
  await page.goBack();
  await expect(page.getByTestId('became')).toBeVisible();
  await expectAccessible(page);
  await page
    .getByRole('button', { name: mail!.subject === 'Snow on the roof' ? 'Snow' : /^Winter letter|^Winter/ })
    .first()
    .click();
  await expect(page.getByRole('dialog')).toContainText('https://quillfin.example/winter');
  await page.keyboard.press('Escape');

  await advance(request, 'PT13H');
  await expect.poll(async () => (await mailsTo(request, people[1]!)).map(({ subject }) => subject)).toContain('Once more: winter');
  expect(await mailsTo(request, people[0]!)).toHaveLength(1);
});

test('a planned broadcast is put on another day in the calendar, stopped and gone on with', async ({ page, request }) => {
  const name = `moved${Date.now()}`;
  const people = await crowd(request, name, 5);
  const now = Date.parse((await api<{ now: string }>(request, 'GET', '/clock')).body.now);
  const day = (days: number) => new Date(now + days * 86_400_000).toISOString().slice(0, 10);
  await signIn(page, '/broadcasts');
  await page.getByRole('button', { name: 'New broadcast' }).click();
  await page.getByRole('dialog').getByLabel('Name').fill(name);
  await page.getByRole('button', { name: 'Create' }).click();
  await choose(page, 'Goes to: add', new RegExp(`Crowd ${name}`));
  const message = page.getByRole('region', { name: 'Message', exact: true });
  await message.getByLabel('Subject').fill(`Moved ${name}`);
  await page.getByLabel('At', { exact: true }).fill(`${day(1)}T10:00`);
  await page.getByRole('button', { name: 'Send…' }).click();
  // a letter without words is not let go
  await expect(
    page
      .getByRole('dialog')
      .getByText(/no text|nothing in it|is empty/i)
      .first(),
  ).toBeVisible();
  await expect(page.getByRole('button', { name: 'Plan it' })).toBeDisabled();
  await page.keyboard.press('Escape');
  const key = new URL(page.url()).pathname.split('/').at(-1)!;
  const { body: flow } = await api<{ draft: { steps: { message: object }[] }; revision: number }>(request, 'GET', `/flows/${key}`);
  flow.draft.steps[0]!.message = letter(`Moved ${name}`);
  expect((await api(request, 'PUT', `/flows/${key}`, flow.draft)).status).toBeLessThan(300);
  await page.reload();
  await page.getByRole('button', { name: 'Send…' }).click();
  await page.getByRole('button', { name: 'Plan it' }).click();
  await expect(page.getByText(`“${name}” is planned.`)).toBeVisible();

  await page.getByRole('link', { name: 'Broadcasts', exact: true }).click();
  await page.getByRole('link', { name: 'Calendar', exact: true }).click();
  const cell = (days: number) => page.locator(`td[data-day="${day(days)}"]`);
  const item = page.getByRole('link', { name: new RegExp(name) });
  await expect(item).toBeVisible();
  await expectAccessible(page);
  // by its menu, which keys reach, and back by undo
  await page.getByRole('button', { name: `Move ${name}` }).click();
  await page.getByRole('menuitem', { name: 'A day later' }).click();
  await expect(page.getByText(new RegExp(`“${name}” is on`))).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(
    cell(1)
      .first()
      .getByRole('link', { name: new RegExp(name) }),
  ).toBeVisible();
  // by dragging it
  await item.dragTo(cell(2));
  await expect.poll(async () => (await api<{ at: string }>(request, 'GET', `/broadcasts/${key}`)).body.at.slice(0, 10)).toBe(day(2));
  expect((await view(request, key)).phase).toBe('planned');

  // stopped before its moment, its moment is let pass; gone on with, it can be planned anew
  await page.getByRole('link', { name: new RegExp(name) }).click();
  await page.getByRole('button', { name: 'Stop' }).click();
  await expect(page.getByText('Stopped. Nothing more of it goes out')).toBeVisible();
  await advance(request, 'P2DT12H');
  expect(await mailsTo(request, people[0]!)).toEqual([]);
  await page.getByRole('button', { name: 'Go on' }).click();
  await expect.poll(async () => (await view(request, key)).phase).toBe('gone');
  expect((await view(request, key)).sent).toBe(0);
});

test('news of the blog go out when there are any, and not when there are none', async ({ page, request }) => {
  const name = `news${Date.now()}`;
  const [person] = await crowd(request, name, 1);
  const publish = (title: string) => request.post(`${outside()}/outside/blog`, { form: { title, words: 'Words of it.' }, maxRedirects: 0 });
  await publish(`First of ${name}`);
  await signIn(page);
  const stored = await page.request.put(`${base()}/api/v1/feeds/${name}`, {
    data: { name: `Blog ${name}`, url: `${outside()}/outside/blog/feed`, everyMinutes: 60 },
    headers: { origin: base() },
  });
  expect(stored.status()).toBeLessThan(300);
  await page.goto(`${base()}/broadcasts`);
  await page.getByRole('button', { name: 'New broadcast' }).click();
  await page.getByLabel('News of a feed').check();
  await choose(page, 'Feed', new RegExp(name));
  await page.getByRole('dialog').getByLabel('Name').fill(name);
  await page.getByRole('button', { name: 'Create' }).click();
  await choose(page, 'Goes to: add', new RegExp(`Crowd ${name}`));
  await expect(page.getByLabel('Only when a feed has something new')).toBeChecked();
  await choose(page, 'Comes round', /every day/i);
  await page.getByRole('button', { name: 'Send…' }).click();
  await page.getByRole('dialog').getByLabel('Now').check();
  await page.getByRole('button', { name: 'Send now' }).click();
  await expect(page.getByText('goes out within a minute')).toBeVisible();
  await advance(request, 'PT3M');
  await advance(request, 'PT2M');
  expect((await mailTo(request, person!, new RegExp(name))).text).toContain(`First of ${name}`);
  // a day later there is nothing new
  await advance(request, 'P1D');
  await advance(request, 'PT20M');
  expect(await mailsTo(request, person!)).toHaveLength(1);
  await publish(`Second of ${name}`);
  await advance(request, 'P1D');
  await expect.poll(async () => (await advance(request, 'PT1M'), (await mailsTo(request, person!)).length), { intervals: [2_000] }).toBe(2);
  const [one, two] = (await mailsTo(request, person!)).map(({ text }) => text);
  const newest = one!.includes('Second of') ? one! : two!;
  expect(newest).toContain(`Second of ${name}`);
  expect(newest).not.toContain(`First of ${name}`);
  await page.getByRole('tab', { name: 'What became of it' }).click();
  await expect(page.getByText('nothing new: nothing went out')).toBeVisible();
});
