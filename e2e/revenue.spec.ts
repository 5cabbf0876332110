import { expect, test } from '@playwright/test';
import { readFileSync } from 'node:fs';
import { api, base, expectAccessible, expectPagesAccessible, mailTo, minor, signIn, someone } from './kit';

test('from a figure to the orders behind it, and from an order to its messages and why each counts; the ledger is checked', async ({
  page,
  request,
}) => {
  await signIn(page, '/revenue');
  await expect(page.getByTestId('finding')).toContainText(/was taken by [\d,]+ orders/);
  const lines = page.getByRole('table', { name: 'By flow and message' });
  const carts = lines.getByRole('row', { name: /^Cart left behind/ });
  const credited = minor((await carts.getByRole('cell').nth(2).textContent())!);
  await page.getByLabel('All models side by side').check();
  await expect(lines.getByRole('columnheader', { name: /Time decay/ })).toBeVisible();
  expect(minor((await carts.getByRole('cell').nth(1).textContent())!)).toBe(credited);
  await page.getByLabel('All models side by side').uncheck();
  // until the orders behind it are there, those of before stand in the ledger, and a click on them leads nowhere
  const ledgerOfCarts = (url: URL) => url.pathname.endsWith('/revenue/ledger') && url.searchParams.get('flow') === 'cart-left-behind';
  await page.route(ledgerOfCarts, async (route) => {
    await page.waitForTimeout(1_500);
    await route.continue();
  });
  await carts.getByTitle('The orders behind it').click();
  const ledger = page.getByRole('region', { name: 'Ledger' });
  await expect(ledger.getByText('Cart left behind', { exact: true }).first()).toBeVisible();
  await ledger.getByTitle('Why it is credited so').first().click();
  const order = page.getByRole('dialog');
  await expect(order.getByText(/: it counts$/).first()).toBeVisible();
  await expect(order.getByRole('columnheader', { name: 'Position' })).toBeVisible();
  await page.keyboard.press('Escape');
  await ledger.getByRole('button', { name: 'Show all orders' }).click();
  await page.getByLabel('By', { exact: true }).selectOption('first');
  await expect(page.getByRole('table', { name: 'Revenue split' }).getByRole('row', { name: /^First orders/ })).toBeVisible();
  await page.getByRole('button', { name: 'Check now' }).click();
  await expect(page.getByTestId('ledger-check')).toContainText(/Checked .*: [\d,]+ orders, 0 differences/);

  // another way of counting computes the ledger anew, and back
  const takings = async () => (await api<{ takings: number }>(request, 'GET', '/revenue?from=2020-01-01')).body.takings;
  const before = await takings();
  await page.getByRole('button', { name: 'How it is counted…' }).click();
  await page.getByLabel('Email, days after a click').fill('1');
  await page.getByLabel('As if no discount had been given').check();
  await page.getByRole('dialog').getByRole('button', { name: 'Save' }).click();
  await expect.poll(takings).toBeGreaterThan(before);
  const { settings } = (await api<{ settings: object }>(request, 'GET', '/revenue/settings')).body;
  const usual = {
    ...settings,
    beforeDiscount: false,
    windows: Object.fromEntries(['email', 'sms', 'push'].map((channel) => [channel, { clicked: 7, opened: 2, delivered: null }])),
  };
  expect((await api(request, 'PUT', '/revenue/settings', usual)).status).toBe(200);
  await expect.poll(async () => (await api<{ rebuild: object | null }>(request, 'GET', '/revenue/check')).body.rebuild).toBeNull();
  expect(await takings()).toBe(before);
});

test('carts, tests and lift say their finding in words with its interval, and can be read by keyboard', async ({ page }) => {
  await signIn(page, '/revenue/carts');
  await expect(page.getByTestId('finding')).toContainText(/% of the carts .* came back \([\d.]+ % to [\d.]+ %\)/);
  const curve = page.getByRole('img', { name: /^Share of left carts that came back/ });
  await curve.focus();
  await page.keyboard.press('ArrowRight');
  await expect(page.getByText(/have come back \(/)).toBeVisible();
  await page.getByLabel('Split by').selectOption('message');
  await expect(
    page
      .getByRole('table', { name: 'Carts by message' })
      .getByRole('row', { name: /Cart left behind/ })
      .first(),
  ).toBeVisible();
  await page.getByLabel('State').selectOption('won');
  await expect(page.getByRole('table', { name: 'Carts', exact: true }).getByText('won back').first()).toBeVisible();

  await page.goto(`${base()}/revenue/tests`);
  await expect(page.getByTestId('test-says').first()).toContainText(/No clear winner yet|is the winner|Too early to tell/);
  // the results of the flow give the same verdict
  const says = (await page.getByTestId('test-says').first().textContent())!;
  await page.getByRole('link', { name: 'To the flow' }).first().click();
  await page.getByRole('tab', { name: 'Results' }).click();
  await page
    .getByTestId('line-map')
    .getByRole('button', { name: /^Test / })
    .first()
    .click();
  await expect(page.getByTestId('test-verdict')).not.toHaveText('Loading…');
  expect(says).toContain(await page.getByTestId('test-verdict').textContent());
  await page.goto(`${base()}/revenue/tests`);
  await page.getByLabel('Now, of 100').fill('10');
  await page.getByLabel('To be seen, of 100').fill('12');
  await expect(page.getByTestId('power')).toContainText('3,841 people in each way');

  await page.goto(`${base()}/revenue/lift`);
  await expect(page.getByTestId('lift-says').first()).toContainText(/The flow adds|Too early to tell/);
  await page.getByRole('link', { name: 'Sending' }).last().click();
  await page.getByLabel('Keep a few people out of all marketing, to see what it brings').check();
  await page.getByLabel('Of a hundred people').fill('21');
  await expect(page.getByText('must be 1 to 20 of a hundred')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Save' }).first()).toBeDisabled();

  await page.goto(`${base()}/revenue/people`);
  await expect(page.getByTestId('step-first')).toContainText(
    /[\d,]+ people ordered for the first time; [\d,]+ ordered again since\..*within 90 days: [\d.]+ % \([\d.]+ % to [\d.]+ %\)/,
  );
  await page.getByRole('img', { name: /^Share of people who have gone on/ }).focus();
  await page.keyboard.press('ArrowRight');
  await expect(page.getByText(/% to the second \(/)).toBeVisible();
});

test('the ledger is read by week, over days that are pulled over, by arm and product; charts are saved as pictures', async ({ page }) => {
  await signIn(page, '/revenue');
  await page.getByLabel('Period').selectOption('90');
  await page.getByLabel('How coarse').selectOption('week');
  const chart = page.getByRole('img', { name: /by week in EUR/ });
  await chart.focus();
  await page.keyboard.press('ArrowRight');
  await expect(page.getByText(/^Week of \d+ \w+$/)).toBeVisible();
  const saved = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Save as SVG' }).click();
  const svg = readFileSync((await (await saved).path())!, 'utf8');
  expect(svg).toContain('Taken per week, and of it credited to messages, EUR');
  expect(svg).not.toContain('var(--');
  const png = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Save as PNG' }).click();
  expect([...readFileSync((await (await png).path())!).subarray(1, 4)]).toEqual([...Buffer.from('PNG')]);

  // pulling over a part of the chart shows only those days
  await page.getByLabel('How coarse').selectOption('day');
  const days = page.getByRole('img', { name: /by day in EUR/ });
  await expect(days).toBeVisible();
  const box = (await days.boundingBox())!;
  await page.mouse.move(box.x + box.width * 0.5, box.y + 80);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.7, box.y + 80, { steps: 5 });
  await page.mouse.up();
  await expect(page.getByLabel('Period')).toHaveValue('own');
  const [from, to] = [
    await page.getByLabel('From', { exact: true }).inputValue(),
    await page.getByLabel('To', { exact: true }).inputValue(),
  ];
  const length = (Date.parse(to) - Date.parse(from)) / 86_400_000;
  expect(length).toBeGreaterThan(10);
  expect(length).toBeLessThan(30);
  await page.getByLabel('Period').selectOption('90');

  await page.getByLabel('By', { exact: true }).selectOption('arm');
  const split = page.getByRole('table', { name: 'Revenue split' });
  await expect(split.getByRole('row', { name: /^Looked at, not bought: Which subject, Names the product/ })).toBeVisible();
  await page.getByLabel('By', { exact: true }).selectOption('product');
  // the lines of before stand there, fainter, until those of products have come
  await expect(split.getByRole('row', { name: /^Looked at, not bought: Which subject/ })).toHaveCount(0);
  await expect(page.locator('[aria-busy="true"]')).toHaveCount(0);
  await split.getByTitle('The orders behind it').first().click();
  const ledger = page.getByRole('region', { name: 'Ledger' });
  await expect(ledger.getByTitle('Why it is credited so').first()).toBeVisible();

  await page.goto(`${base()}/revenue/people`);
  const again = page.getByRole('table', { name: 'When the same is bought again' });
  await page.getByLabel('By', { exact: true }).selectOption('category');
  await again.getByRole('button', { name: 'food', exact: true }).click();
  await expect(page.getByText(/^food: bought [\d,]+ times/)).toBeVisible();
});

test('a report of one’s own is created, read, shared by a link that is taken back again, and mailed', async ({
  page,
  request,
  browser,
}) => {
  await signIn(page, '/revenue/reports');
  await page.getByRole('button', { name: 'Create a report…' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByRole('button', { name: 'Create' }).click();
  await expect(dialog.getByRole('alert')).toContainText('The name needs a name');
  const name = `For the board ${Date.now()}`;
  await dialog.getByLabel('Name').fill(name);
  await dialog.getByLabel('Period').selectOption('90');
  await dialog.getByLabel('product', { exact: true }).check();
  await dialog.getByLabel('Send it to colleagues').check();
  const reader = someone('board');
  await dialog.getByLabel('To', { exact: true }).fill(reader);
  await dialog.getByRole('button', { name: 'Create' }).click();
  await expect(page.getByRole('heading', { name })).toBeVisible();
  const figures = page.getByTestId('report-figures');
  await expect(figures).toContainText('Takings, net');
  const takings = await figures
    .getByText(/^€[\d,.]+$/)
    .first()
    .textContent();
  await expect(page.getByRole('table', { name: 'By product' }).getByRole('row').nth(1)).toBeVisible();
  await expect(page.getByText(new RegExp(`Goes to ${reader}; next Mon`))).toBeVisible();

  await page.getByRole('button', { name: 'More acts' }).click();
  await page.getByRole('menuitem', { name: 'Share by a link' }).click();
  const link = (await page.getByText(/\/shared\/[\w-]{32}/).textContent())!;
  const stranger = await (await browser.newContext()).newPage();
  await stranger.goto(link);
  await expect(stranger.getByRole('heading', { name })).toBeVisible();
  await expect(stranger.getByRole('cell', { name: takings! })).toBeVisible();
  await expect(stranger.getByRole('img', { name: /Takings and credited revenue by day/ })).toBeVisible();
  await expectAccessible(stranger);
  await page.getByRole('button', { name: 'More acts' }).click();
  await page.getByRole('menuitem', { name: 'Take the link back' }).click();
  // beside the note of having shared it, which may still stand there
  await expect(page.getByText(/^Whoever has the link reads it:/)).toBeHidden();
  expect((await stranger.goto(link))!.status()).toBe(404);
  await stranger.context().close();

  await page.getByRole('button', { name: 'More acts' }).click();
  await page.getByRole('menuitem', { name: 'Send now to 1 reader' }).click();
  const mail = await mailTo(request, reader, new RegExp(name));
  expect(mail.text).toContain(takings!);

  await page.getByRole('button', { name: 'Change…' }).click();
  await page.getByRole('dialog').getByLabel('Send it to colleagues').uncheck();
  await page.getByRole('dialog').getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText(/Goes to/)).toBeHidden();
  await page.getByRole('button', { name: 'More acts' }).click();
  await page.getByRole('menuitem', { name: 'Delete…' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Delete' }).click();
  await expect(page).toHaveURL(/\/revenue\/reports$/);
  await expect(page.getByRole('link', { name })).toBeHidden();
});

test('the day starts with what goes out and what needs somebody', async ({ page, request }) => {
  const address = someone('today');
  const flow = {
    schema: 'viatic.flow/1',
    name: 'Today at the board',
    triggers: [{ id: 'start', kind: 'event', event: 'app.today_wanted', key: null }],
    entry: null,
    stay: null,
    reentry: 'always',
    goal: null,
    steps: [
      { id: 'wait', kind: 'wait', for: 'PT20H' },
      {
        id: 'mail',
        kind: 'send',
        name: 'The morning letter',
        message: {
          schema: 'viatic.message/1',
          channel: 'email',
          kind: 'marketing',
          subject: 'x',
          preview: '',
          blocks: [{ id: 'b1', kind: 'text', text: 'x' }],
        },
      },
      {
        id: 'second',
        kind: 'send',
        off: true,
        name: 'Never switched on',
        message: {
          schema: 'viatic.message/1',
          channel: 'email',
          kind: 'marketing',
          subject: 'y',
          preview: '',
          blocks: [{ id: 'b1', kind: 'text', text: 'y' }],
        },
      },
    ],
  };
  expect((await api(request, 'PUT', '/flows/today-board', flow)).status).toBe(200);
  expect((await api(request, 'POST', '/flows/today-board/publish', {})).status).toBe(200);
  await api(request, 'POST', '/events', {
    specversion: '1.0',
    id: `today-${Date.now()}`,
    source: 'test',
    type: 'app.today_wanted',
    data: { person: { email: address, consent: { email: true } } },
  });
  await signIn(page);
  const board = page.getByTestId('board');
  await expect(board.getByRole('row', { name: /Today at the board The morning letter 1 due/ })).toBeVisible();
  await expect(page.getByText(/“Today at the board” is on, but its message “Never switched on” is still off/)).toBeVisible();
  await expect(board.getByText(/than a week ago by this time|nothing a week ago|as much as a week ago/).first()).toBeVisible();
  await page
    .getByText(/“Today at the board” is on/)
    .locator('..')
    .getByRole('link', { name: 'Switch it on' })
    .click();
  await expect(page.getByRole('heading', { name: 'Today at the board' })).toBeVisible();
  await api(request, 'POST', '/flows/today-board/pause', {});
});

test('the pages of revenue and the day are accessible in both themes', async ({ page }) => {
  await signIn(page);
  await expectPagesAccessible(page, ['/today', '/revenue/carts', '/revenue/tests', '/revenue/lift', '/revenue/people']);
});
