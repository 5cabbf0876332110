import { expect, test } from '@playwright/test';
import { base, signIn } from './kit';

test('places and currencies: a group is made and edited, tables are loaded, and what cannot be read is said with its line', async ({
  page,
}) => {
  await signIn(page, '/data/places');
  await page.getByRole('button', { name: 'Create group' }).click();
  await page.getByLabel('Name', { exact: true }).fill('Over the sea');
  await page.getByRole('textbox', { name: 'Countries' }).fill('Ireland, Atlantis');
  await page.getByRole('dialog').getByRole('button', { name: 'Create' }).click();
  await expect(page.getByRole('alert')).toContainText('“Atlantis” is not a country');
  await page.getByRole('textbox', { name: 'Countries' }).fill('Ireland, GB');
  await page.getByRole('dialog').getByRole('button', { name: 'Create' }).click();
  const group = page.getByRole('listitem').filter({ hasText: 'Over the sea' });
  await expect(group).toContainText('2 countries');
  await expect(group).toContainText('Ireland, United Kingdom');

  const load = (name: string, csv: string) =>
    page.getByLabel(`${name} as CSV`).setInputFiles({ name: 'table.csv', mimeType: 'text/csv', buffer: Buffer.from(csv) });
  await load('Rates', 'currency,day,rate\nDKK,2026-01-01,0.134\nGBP,yesterday,1.17\n');
  await expect(page.getByText(/csv, line 3 “yesterday” is not a day/)).toBeVisible();
  await load('Rates', 'currency,day,rate\nDKK,2026-01-01,0.134\nGBP,2026-01-01,1.17\n');
  await expect(page.getByRole('row', { name: /GBP 1.17/ })).toBeVisible();
  await page.getByRole('button', { name: 'Remove DKK' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Remove' }).click();
  await expect(page.getByRole('row', { name: /DKK/ })).toHaveCount(0);
  await load('Postcodes', 'country,postcode,latitude,longitude\nIreland,Q201,53.35,-6.26\n');
  await expect(page.getByRole('listitem').filter({ hasText: 'Ireland' }).filter({ hasText: '1 postcode' })).toBeVisible();

  // a rule finds it there, and takes its coordinates
  await page.goto(`${base()}/people/segments/new`);
  await page.getByRole('combobox', { name: 'Add a condition', exact: true }).fill('near km');
  await page.keyboard.press('Enter');
  await page.getByLabel('Place, or country and postcode').fill('IE Q201');
  await page.getByRole('button', { name: 'take the coordinates of IE Q201' }).click();
  await expect(page.getByRole('listitem', { name: 'is within 25 km of IE Q201' })).toBeVisible();
  await expect(page.getByLabel('Latitude')).toHaveValue('53.35');

  await page.goto(`${base()}/data/places`);
  await page.getByRole('button', { name: 'Remove Over the sea' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Remove' }).click();
  await expect(group).toHaveCount(0);
});
