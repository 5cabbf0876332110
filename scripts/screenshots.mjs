// Takes the pictures of docs/screenshots from a demo that is running: one of each main view at 1280x800.
import { mkdirSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { chromium } from '@playwright/test';

const root = resolve(import.meta.dirname, '..');
const base = process.env.VIATIC_URL ?? `http://localhost:${process.env.PORT ?? 4400}`;
const folder = resolve(process.argv[2] ?? join(root, 'docs/screenshots'));
const only = process.argv[3]?.split(',') ?? null;
mkdirSync(folder, { recursive: true });

const browser = await chromium.launch({
  executablePath: '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ],
});
const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: 'reduce' });
const page = await context.newPage();
const wants = (name) => !only || only.includes(name);
const shot = async (name, on = page) => {
  if (!wants(name)) return;
  await on.evaluate(() => document.fonts.ready);
  await on.waitForTimeout(300);
  await on.screenshot({ path: join(folder, `${name}.png`) });
  console.log(`${name}.png`);
};
const api = async (path, body) =>
  (
    await context.request.fetch(`${base}/api/v1${path}`, {
      method: body ? 'POST' : 'GET',
      headers: { authorization: 'Bearer demo-key', 'content-type': 'application/json' },
      ...(body && { data: body }),
    })
  ).json();

await page.goto(`${base}/sign-in`);
await page.getByRole('button', { name: 'Sign in' }).click();
await page.waitForURL('**/today');
await page.getByTestId('board').getByRole('table').waitFor();
await page.waitForTimeout(800);
await shot('today');
await page.goto(`${base}/flows`);
await page.getByRole('table').waitFor();
await shot('flows');
await page.goto(`${base}/broadcasts/autumn-in-the-tank`);
await page.getByTestId('trial-says').waitFor();
await shot('broadcast');

await page.goto(`${base}/flows/cart-left-behind`);
await page.getByTestId('figure-entered').waitFor();
await shot('flow');
await page
  .getByRole('navigation', { name: 'Script' })
  .getByRole('button', { name: /Send “Your tank/ })
  .click();
if (wants('letter')) {
  await page.getByRole('button', { name: 'Write the letter' }).click();
  await page.frameLocator('iframe[title="The letter"]').getByText('Quillfin').first().waitFor();
  await page.waitForTimeout(1500);
  await shot('letter');
  await page.getByRole('button', { name: 'To the map' }).click();
}
await page.getByRole('tab', { name: 'Rehearse' }).click();
if (wants('flow-rehearse')) {
  await page.getByTestId('rehearsed').waitFor();
  await page.getByRole('button', { name: 'Add a person' }).click();
  await page.getByRole('button', { name: 'Add a person' }).click();
  await page.getByRole('tab', { name: 'Ada' }).click();
  await page.getByRole('slider', { name: 'Time of the rehearsal' }).fill('1300');
  await shot('flow-rehearse');
}
if (wants('flow-backtest')) {
  await page.getByRole('tab', { name: 'Backtest' }).click();
  await page.getByRole('button', { name: 'Play it' }).click();
  await page.getByTestId('backtest').getByRole('link').first().waitFor({ timeout: 120_000 });
  await shot('flow-backtest');
}
await page.getByRole('tab', { name: 'Results' }).click();
await page.getByRole('row', { name: /^Sent/ }).waitFor();
await page
  .getByTestId('line-map')
  .getByRole('button', { name: /^Send Reminder/ })
  .click();
await page.getByRole('img', { name: /Openings by time/ }).waitFor();
await shot('flow-results');

await page.goto(`${base}/flows/trial-to-paid`);
await page.getByRole('tab', { name: 'Now' }).click();
await page.getByTestId('now-count').waitFor();
await page.waitForTimeout(500);
await shot('flow-now');

if (['outside', 'person'].some(wants)) {
  const shop = await context.newPage();
  const address = `robin.${Date.now()}@example.com`;
  await shop.goto(`${base}/outside/shop`);
  await shop.getByRole('button', { name: 'Put Shoreline tank 112 l in the cart' }).click();
  await shop.goto(`${base}/outside/shop`);
  await shop.getByRole('button', { name: 'Put Java fern on root in the cart' }).click();
  await shop.getByRole('link', { name: 'To checkout' }).click();
  await shop.getByLabel('First name').fill('Robin');
  await shop.getByRole('checkbox').check();
  await shop.getByLabel('Email').fill(address);
  await shop.getByLabel('First name').focus();
  await shop.getByText('We keep your cart').waitFor();
  await api('/clock', { advance: 'PT1H' });
  await page.goto(`${base}/outside?to=${address}`);
  const frame = page.frameLocator('iframe[data-testid=mail-frame]');
  await frame.getByRole('link', { name: 'Back to my cart' }).waitFor();
  await page.waitForTimeout(500);
  await shot('outside');
  const [popup] = await Promise.all([context.waitForEvent('page'), frame.getByRole('link', { name: 'Back to my cart' }).click()]);
  await popup.getByRole('link', { name: 'To checkout' }).click();
  await popup.getByRole('button', { name: 'Order and pay' }).click();
  await popup.getByTestId('order-id').waitFor();
  await page.goto(`${base}/people?q=${address}`);
  await page.getByRole('link', { name: 'Robin' }).click();
  await page
    .getByTestId('timeline')
    .getByText(/Goal reached/)
    .waitFor();
  await shot('person');
}

await page.goto(`${base}/people/segments/asleep`);
await page.getByRole('button', { name: 'Change' }).click();
await page.getByTestId('left').nth(2).waitFor();
await shot('segment');
await page.goto(`${base}/people`);
await page.getByRole('row').nth(5).waitFor();
await page.waitForTimeout(800);
await shot('people');
if (wants('library')) {
  await page.goto(`${base}/messages`);
  await page.getByRole('link', { name: 'What goes with it' }).waitFor();
  await page.waitForTimeout(2500);
  await shot('library');
}
await page.goto(`${base}/offers/cart-10`);
await page.getByText('The lives of its codes').waitFor();
await page.waitForTimeout(800);
await shot('offer');
await page.goto(`${base}/revenue`);
await page.getByRole('table', { name: 'By flow and message' }).waitFor();
await page.waitForTimeout(500);
await shot('revenue');
if (wants('carts')) {
  await page.goto(`${base}/revenue/carts`);
  await page.getByTestId('finding').waitFor();
  await page.waitForTimeout(1500);
  await shot('carts');
}
if (wants('report')) {
  await page.goto(`${base}/revenue/reports/each-monday`);
  await page.getByTestId('report-figures').waitFor();
  await page.waitForTimeout(800);
  await shot('report');
}
if (wants('flow-dark')) {
  await page.goto(`${base}/flows/first-order`);
  await page.getByRole('button', { name: 'Switch to the dark theme' }).click();
  await page.getByTestId('figure-entered').waitFor();
  await shot('flow-dark');
  await page.getByRole('button', { name: 'Switch to the light theme' }).click();
}
await browser.close();
