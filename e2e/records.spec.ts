import { readFileSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import { parse } from 'csv-parse/sync';
import { api, base, minor, signIn, someone } from './kit';

/** Names that no other test, and no run before this one, has used. */
const fresh = (word: string): string => `${word}${Date.now().toString(36)}`;

test('the box at the checkout: ticked beforehand where the law lets it, never elsewhere; the shop is told so', async ({
  page,
  request,
}) => {
  await signIn(page, '/data/consent');
  const wording = `Write to me, please ${Date.now()}`;
  await page.getByLabel('Wording everywhere else').fill(wording);
  await page.getByRole('checkbox', { name: 'ticked' }).first().check();
  await expect(page.getByText('the box stays unticked all the same')).toBeVisible();
  await page.getByLabel('Country', { exact: true }).selectOption({ label: 'Sweden' });
  await page.getByRole('region', { name: 'Box at the checkout' }).getByRole('button', { name: 'Add' }).click();
  await page.getByLabel('Wording in Sweden').fill('Skriv till mig');
  await page.getByRole('button', { name: 'Save', exact: true }).first().click();
  await expect(page.getByText('The checkout shows it so from now on.')).toBeVisible();
  const ask = async (country: string) =>
    (await api<{ ticked: boolean; wording: string }>(request, 'GET', `/checkout-box?country=${country}`)).body;
  expect(await ask('JP')).toMatchObject({ ticked: true, wording });
  expect(await ask('NL')).toMatchObject({ ticked: false, wording });
  expect(await ask('SE')).toMatchObject({ ticked: false, wording: 'Skriv till mig' });
  await page.getByRole('button', { name: 'No rule of its own for Sweden' }).click();
  await page.getByRole('checkbox', { name: 'ticked' }).first().uncheck();
  await page.getByRole('button', { name: 'Save', exact: true }).first().click();
  await expect.poll(async () => (await ask('SE')).wording).toBe(wording);
  expect(await ask('JP')).toMatchObject({ ticked: false });
});

test('addresses never written to: put on from a pasted column, what is none stays to be mended; searched, and taken off with a reason', async ({
  page,
  request,
}) => {
  const [one, two] = [someone('never'), someone('never')];
  await signIn(page, '/data/consent');
  await page.getByRole('region', { name: 'Never written to' }).getByRole('button', { name: 'Add', exact: true }).click();
  await page.getByRole('dialog').getByLabel('Addresses').fill(`${one}\n${two.toUpperCase()}\nno.address`);
  await page.getByRole('dialog').getByRole('button', { name: 'Add', exact: true }).click();
  await expect(page.getByRole('alert').filter({ hasText: '1 line is no address and is left here' })).toBeVisible();
  await expect(page.getByRole('dialog').getByLabel('Addresses')).toHaveValue('no.address');
  await page.getByRole('button', { name: 'Cancel' }).click();
  await page.getByLabel('Search addresses').fill(two);
  await expect(page.getByText('1 to 1 of 1 address')).toBeVisible();
  await expect(page.getByRole('cell', { name: two, exact: true })).toBeVisible();
  await page.getByRole('button', { name: `Remove ${two}` }).click();
  const act = page.getByRole('dialog').getByRole('button', { name: 'Remove', exact: true });
  await act.click();
  await expect(page.getByText('This is too short', { exact: false })).toBeVisible();
  await page.getByLabel('Why it may be written to again').fill('they asked on the phone');
  await act.click();
  await expect(page.getByText('No address matches')).toBeVisible();
  const left = await api<{ suppressions: { address: string; by: string }[] }>(request, 'GET', `/suppressions?q=${one}`);
  expect(left.body.suppressions).toMatchObject([{ address: one, reason: 'by hand' }]);
});

test('an attribute: found in what arrives, its type declared, its spellings brought into one, renamed, retired', async ({
  page,
  request,
}) => {
  const name = fresh('pond');
  for (const [n, value] of ['Yes', 'yes', 'no'].entries())
    await api(request, 'PUT', `/people/${name}-${n}`, { attributes: { [name]: value } });
  await signIn(page, '/data/attributes');
  const row = (called: string) => page.getByRole('row').filter({ has: page.getByText(called, { exact: true }) });
  const act = async (called: string, what: string) => {
    await page.getByRole('button', { name: `What to do with ${called}`, exact: true }).click();
    await page.getByRole('menuitem', { name: what }).click();
  };
  await expect(row(name)).toContainText('discovered');
  await act(name, 'Values and spellings');
  await page.getByLabel('becomes').fill('yes');
  await page.getByRole('button', { name: 'Bring 1 group into one spelling' }).click();
  await expect(page.getByText('Changed for 1 person.')).toBeVisible();

  await act(name, 'Declare its type');
  await page.getByRole('dialog').getByLabel('Type').selectOption('yesno');
  await page.getByRole('dialog').getByLabel('What it says').fill('Whether they have a pond');
  await page.getByRole('dialog').getByRole('button', { name: 'Save', exact: true }).click();
  await expect(row(name)).toContainText('declared');
  await expect(row(name)).toContainText('3 values do not fit');
  await api(request, 'PUT', `/people/${name}-0`, { attributes: { [name]: 'yes' } });
  expect((await api<{ attributes: object }>(request, 'GET', `/people/${name}-0`)).body.attributes).toMatchObject({ [name]: true });

  await act(name, 'Rename or merge');
  await page.getByRole('dialog').getByRole('combobox').fill(`${name}Kept`);
  await page.getByRole('button', { name: 'Rename', exact: true }).click();
  await expect(row(`${name}Kept`)).toBeVisible();
  await expect(row(name)).toContainText(`goes to ${name}Kept`);
  await act(`${name}Kept`, 'Retire');
  await expect(row(`${name}Kept`)).toContainText('retired');
  // what a flow lives by is not taken from under it
  await act('firstName', 'Retire');
  await expect(page.getByText('cannot be retired')).toBeVisible();
});

test('a list: made, somebody put on it and taken off, its growth read by keyboard, put away and back', async ({ page, request }) => {
  const name = fresh('Shrimp keepers ');
  const email = someone('shrimp');
  await api(request, 'PUT', `/people/${email}`, { email, firstName: 'Shrimpy' });
  await signIn(page, '/people/lists');
  await page.getByRole('button', { name: 'New list' }).click();
  await page.getByLabel('Name').fill(name);
  await page.getByLabel('What it is for').fill('who keeps shrimp');
  await page.getByRole('button', { name: 'Create', exact: true }).click();
  await expect(page.getByText('0 people are on it')).toBeVisible();
  await page.getByLabel('Add a person').fill(email);
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(page.getByText('1 person is on it')).toBeVisible();
  await page.reload();
  const growth = page.getByRole('img', { name: /People on the list at the end of each day/ });
  await growth.focus();
  await page.keyboard.press('ArrowLeft');
  await expect(page.getByText(/: 0 people on the list, 0 joined, 0 left/)).toBeVisible();
  await page.keyboard.press('ArrowRight');
  await expect(page.getByText(/: 1 person on the list, 1 joined, 0 left/)).toBeVisible();
  const key = new URL(page.url()).pathname.split('/').at(-1)!;
  expect(
    (await api<{ events?: unknown; items: { type: string }[] }>(request, 'GET', `/people/${email}/timeline`)).body.items.map(
      (item) => item.type,
    ),
  ).toContain('list.joined');
  await page.getByRole('button', { name: 'Archive' }).click();
  await expect(page.getByRole('link', { name })).toBeHidden();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByRole('link', { name })).toBeVisible();
  expect((await api<{ people: number }>(request, 'GET', `/lists/${key}`)).body.people).toBe(1);
});

test('the catalogue: a type appears with its first event, with properties, values and what uses it', async ({ page, request }) => {
  const type = `${fresh('pond')}.cleaned`;
  for (const [n, litres] of [40, 40, 60].entries())
    await api(request, 'POST', '/events', {
      id: `${type}-${n}`,
      source: 'e2e',
      type,
      data: { litres, ...(n && { tool: 'net' }), person: { email: someone('pond') } },
    });
  await signIn(page, '/data/events');
  await page.getByLabel('Filter types').fill(type.slice(0, 8));
  await expect(page.getByRole('link', { name: type })).toBeVisible();
  await page.getByRole('link', { name: type }).click();
  await expect(page.getByText(`A person did ${type}: 3 times`)).toBeVisible();
  const litres = page.getByRole('row').filter({ hasText: 'litres' });
  await expect(litres).toContainText('number');
  await expect(litres).toContainText('40');
  await expect(page.getByRole('row').filter({ hasText: 'tool' })).toContainText('66.7 %');
  await page.goto(`${base()}/data/events/cart.updated`);
  await expect(page.getByText('Cart left behind').first()).toBeVisible();
  await page.goto(`${base()}/data/events/nothing.of_ours`);
  await expect(page.getByText(/There is no/)).toBeVisible();
});

test('files out: what the page offers is what a reader of CSV gets, and the rows of the ledger add up to the sums', async ({
  page,
  request,
}) => {
  const email = someone('out');
  await api(request, 'PUT', `/people/${email}`, { email, firstName: '=1+1', lastName: 'Comma, "Quote"' });
  await signIn(page, '/data/files');
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'People as CSV' }).click()]);
  const rows = parse(readFileSync(await download.path()), { columns: true }) as Record<string, string>[];
  expect(rows.find((row) => row.email === email)).toMatchObject({ firstName: "'=1+1", lastName: 'Comma, "Quote"' });
  const { body } = await api<{ total?: number; count?: number }>(request, 'GET', '/people?limit=1');
  expect(rows.length).toBe(body.total ?? body.count);

  await page.goto(`${base()}/revenue`);
  await page.getByLabel('Period').selectOption('7');
  const sum = async (term: string) =>
    minor((await page.getByText(term, { exact: true }).locator('xpath=following-sibling::dd[1]').textContent())!);
  const ledger = page.getByRole('region', { name: 'Ledger' });
  // while the period before still stands there, it says so
  await expect(page.locator('[aria-busy=true]')).toHaveCount(0);
  await expect(ledger.getByRole('row').nth(1)).toBeVisible();
  while (await ledger.getByRole('button', { name: 'Show earlier orders' }).isVisible()) {
    const before = await ledger.getByRole('row').count();
    await ledger.getByRole('button', { name: 'Show earlier orders' }).click();
    await expect.poll(() => ledger.getByRole('row').count()).toBeGreaterThan(before);
  }
  const cells = await ledger
    .getByRole('row')
    .evaluateAll((list) => list.slice(1).map((row) => [...row.querySelectorAll('td')].map((cell) => cell.textContent ?? '')));
  const taken = cells
    .map((cell) => /€([\d.,]+)/.exec(cell[3]!))
    .filter((match) => match !== null)
    .reduce((total, match) => total + minor(match[1]!), 0);
  const credited = cells
    .map((cell) => /€([\d.,]+)/.exec(cell[4]!))
    .filter((match) => match !== null)
    .reduce((total, match) => total + minor(match[1]!), 0);
  expect(taken).toBe(await sum('Takings, net'));
  expect(credited).toBe(await sum('Credited to messages'));
  expect(await sum('Takings, net')).toBe((await sum('Credited to messages')) + (await sum('Not credited')));
});
