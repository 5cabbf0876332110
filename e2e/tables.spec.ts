import { readFileSync } from 'node:fs';
import { expect, test, type Page } from '@playwright/test';
import { parse } from 'csv-parse/sync';
import { minor, signIn } from './kit';

const cells = (page: Page, table: string, place: number) =>
  page
    .getByRole('table', { name: table })
    .getByRole('row')
    .evaluateAll((rows, at) => rows.slice(1).map((row) => row.querySelectorAll('td')[at]?.textContent ?? ''), place);

test('a table is sorted by any head, its columns are chosen and stay chosen, and what is saved is what is seen', async ({ page }) => {
  await signIn(page, '/flows');
  await expect(page.getByRole('columnheader', { name: 'Revenue, 30 days' })).toBeVisible();
  const at = (heads: string[], name: string) => heads.indexOf(name);
  const heads = () => page.getByRole('columnheader').allTextContents();

  // what goes out most stands first
  const sent = (await cells(page, 'Flows', at(await heads(), 'Sent, 24 hours'))).filter(Boolean).map(minor);
  expect(sent).toEqual([...sent].sort((a, b) => b - a));
  const revenue = at(await heads(), 'Revenue, 30 days');
  await page.getByRole('button', { name: 'Revenue, 30 days' }).click();
  await expect(page.getByRole('columnheader', { name: 'Revenue, 30 days' })).toHaveAttribute('aria-sort', 'descending');
  const before = (await cells(page, 'Flows', revenue)).filter(Boolean).map(minor);
  expect(before.length).toBeGreaterThan(1);
  expect(before).toEqual([...before].sort((a, b) => b - a));
  await page.getByRole('button', { name: 'Revenue, 30 days' }).click();
  await expect(page.getByRole('columnheader', { name: 'Revenue, 30 days' })).toHaveAttribute('aria-sort', 'ascending');
  expect((await cells(page, 'Flows', revenue)).filter(Boolean).map(minor)).toEqual([...before].reverse());

  await page.getByRole('button', { name: 'Flows: columns, save as CSV' }).click();
  await page.getByRole('checkbox', { name: 'Sent, 24 hours' }).uncheck();
  await expect(page.getByRole('columnheader', { name: 'Sent, 24 hours' })).toHaveCount(0);
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: /^Save \d+ rows as CSV/ }).click(),
  ]);
  expect(download.suggestedFilename()).toBe('flows.csv');
  const rows = parse(readFileSync(await download.path()), { columns: true }) as Record<string, string>[];
  expect(Object.keys(rows[0]!)).toEqual([
    'State',
    'Flow',
    'Inside now',
    'Entered, 30 days',
    'Revenue, 30 days (EUR)',
    'Revenue per person (EUR)',
  ]);
  const inFile = rows.map((row) => row['Revenue, 30 days (EUR)']!).filter(Boolean);
  expect(inFile.map((value) => Math.round(Number(value) * 100))).toEqual([...before].reverse());

  await page.reload();
  await expect(page.getByRole('columnheader', { name: 'Sent, 24 hours' })).toHaveCount(0);
  await page.getByRole('button', { name: 'Flows: columns, save as CSV' }).click();
  await page.getByRole('checkbox', { name: 'Sent, 24 hours' }).check();
  await expect(page.getByRole('columnheader', { name: 'Sent, 24 hours' })).toBeVisible();
});

test('a table is walked by keyboard: arrows, the end and back, Enter opens', async ({ page }) => {
  await signIn(page, '/data/events');
  const table = page.getByRole('region', { name: /^Event types:/ });
  await expect(table.getByRole('row').nth(3)).toBeVisible();
  const types = await cells(page, 'Event types', 0);
  await table.focus();
  await page.keyboard.press('End');
  await page.keyboard.press('Home');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('Enter');
  // the second row by how often: its cell begins with the type
  await expect(page).toHaveURL(/\/data\/events\//);
  expect(types[1]!.startsWith(decodeURIComponent(new URL(page.url()).pathname.split('/').at(-1)!))).toBe(true);
});

test('a long table holds only the rows in view, and any of them is reached', async ({ page }) => {
  await signIn(page, '/people?sort=seen&direction=up');
  const table = page.getByRole('table', { name: 'People' });
  const region = page.getByRole('region', { name: /^People:/ });
  await expect(table.getByRole('row').nth(5)).toContainText('@');
  const total = Number(await table.getAttribute('aria-rowcount')) - 1;
  expect(total).toBeGreaterThan(1000);
  expect(await table.getByRole('row').count()).toBeLessThan(120);
  const first = (await cells(page, 'People', 2)).find(Boolean)!;

  await region.focus();
  await page.keyboard.press('End');
  const last = table.locator(`tr[aria-rowindex="${total + 1}"]`);
  await expect(last).toBeVisible();
  await expect(last.locator('td').nth(1)).not.toHaveText('…');
  // turned round, who was last is first
  const seen = (await last.locator('td').last().textContent())!;
  await page.keyboard.press('Home');
  await expect(table.locator('tr[aria-rowindex="2"]')).toContainText(first);
  await page.getByRole('button', { name: 'Last seen', exact: true }).click();
  await expect(table.locator('tr[aria-rowindex="2"]')).toContainText(seen);
  await page.keyboard.press('Tab');
  await region.focus();
  await page.keyboard.press(' ');
  await expect(page.getByText('1 person chosen')).toBeVisible();
});

test('a filter shows what each of its parts leaves, and who of those left can be reached', async ({ page }) => {
  await signIn(page, '/people');
  await page.getByLabel('Orders', { exact: true }).selectOption('quiet');
  await page.getByLabel('Can be emailed').selectOption('yes');
  await expect(page.getByTestId('people-count')).toContainText('match');
  const total = minor((await page.getByTestId('people-count').textContent())!);
  await page.getByRole('button', { name: 'How it narrows' }).click();
  const left = page.getByTestId('left');
  await expect(left).toHaveCount(3);
  const counts = (await left.allTextContents()).map(minor);
  expect(counts).toEqual([...counts].sort((a, b) => b - a));
  expect(counts.at(-1)).toBe(total);
  await expect(page.getByRole('dialog')).toContainText(`to ${total.toLocaleString('en')} by email`);
});
