import { expect, test } from '@playwright/test';
import { api, base, minor, signIn, someone } from './kit';

test('from the flow through the shop and the inbox to the revenue, and out again', async ({ page, context, request }) => {
  const address = someone('robin');
  await signIn(page, '/flows');

  // the running flow with its figures of Quillfin's history
  const row = page.getByRole('row', { name: /Cart left behind/ });
  await expect(row).toContainText('On');
  await expect(row).toContainText(/€[\d,]+\.\d\d/);
  await row.getByRole('link', { name: 'Cart left behind' }).click();
  await expect(page.getByTestId('line-map').getByRole('button', { name: /By cart value/ })).toBeVisible();
  const revenue = page.getByTestId('figure-revenue');
  await expect(revenue).toContainText('€');
  const before = minor((await revenue.textContent())!);

  // a tank in the cart, an address, and gone
  const shop = await context.newPage();
  await page.goto(`${base()}/outside`);
  await expect(page.getByRole('link', { name: /Open the Quillfin shop/ })).toHaveAttribute('href', '/outside/shop');
  await shop.goto(`${base()}/outside/shop`);
  await shop.getByRole('button', { name: 'Put Shoreline tank 112 l in the cart' }).click();
  await shop.getByRole('link', { name: 'To checkout' }).click();
  await shop.getByLabel('First name').fill('Robin');
  await shop.getByRole('checkbox').check();
  await shop.getByLabel('Email').fill(address);
  await shop.getByLabel('First name').focus();
  await expect(shop.getByText('We keep your cart for you.')).toBeVisible();
  await shop.close();

  // an hour later, by the control in the bar
  await page.getByRole('button', { name: /Store time/ }).click();
  await page.getByRole('button', { name: '1 hour', exact: true }).click();
  await expect(page.getByText(/Store time moved on by 1 hour/)).toBeVisible();

  // the mail, with the very items
  await page.getByLabel('Whose inbox').fill(address);
  await expect(page.getByRole('heading', { name: 'Your tank is still here, Robin' })).toBeVisible();
  const mail = page.frameLocator('[data-testid=mail-frame]');
  await expect(mail.getByText('Shoreline tank 112 l')).toBeVisible();
  await expect(mail.getByText(/take 10 % off/)).toBeVisible();
  await page.getByRole('tab', { name: 'Headers' }).click();
  await expect(page.getByText('List-Unsubscribe=One-Click')).toBeVisible();
  await page.getByRole('tab', { name: 'As designed' }).click();

  // its button brings the same cart back, with the code on it
  const [back] = await Promise.all([context.waitForEvent('page'), mail.getByRole('link', { name: 'Back to my cart' }).click()]);
  await expect(back.getByText('Shoreline tank 112 l')).toBeVisible();
  await expect(back.getByText(/10 % off with ROBIN-[A-Z2-9]{6}/)).toBeVisible();
  await back.getByRole('link', { name: 'To checkout' }).click();
  await back.getByRole('button', { name: 'Order and pay' }).click();
  const orderId = await back.getByTestId('order-id').textContent();
  await back.close();

  // the person's time line tells all of it, each decision with its reason
  await page.goto(`${base()}/people`);
  await page.getByLabel('Search people').fill(address);
  await page.getByRole('link', { name: 'Robin' }).click();
  const story = page.getByTestId('timeline');
  for (const told of [
    'Updated the cart',
    /Entered: updated a cart, then nothing for 1 hour/,
    'Took “100 and up”',
    'because cart value was €249.00',
    'Sent “Your tank is still here, Robin”',
    'Message delivered',
    'Opened the message',
    'Clicked in the message',
    'Placed an order',
    /Goal reached: placed an order/,
  ]) {
    await expect(story.getByText(told).first()).toBeVisible();
  }
  await story.getByRole('button', { name: /Placed an order/ }).click();
  await expect(story.getByText(orderId!).first()).toBeVisible();

  // the flow's revenue has grown by exactly that order: 249.00 less 10 %
  await page.goto(`${base()}/flows/cart-left-behind`);
  await expect.poll(async () => minor((await revenue.textContent()) ?? '0') - before).toBe(22_410);

  // a day on, no reminder
  await api(request, 'POST', '/clock', { advance: 'P1D' });
  expect((await api<unknown[]>(request, 'GET', `/outside/api/mail?to=${address}`)).body).toHaveLength(1);

  // another cart, another mail; its unsubscribe link ends it for good
  await api(request, 'POST', '/events', {
    id: `second-${address}`,
    source: 'e2e',
    type: 'cart.updated',
    data: {
      cartId: `second-${address}`,
      currency: 'EUR',
      value: 20,
      items: [],
      checkoutUrl: 'http://shop.example/c',
      person: { email: address },
    },
  });
  await api(request, 'POST', '/clock', { advance: 'PT1H' });
  await page.goto(`${base()}/outside?to=${address}`);
  await expect(page.getByRole('heading', { name: 'You left something in your cart' })).toBeVisible();
  const [leave] = await Promise.all([context.waitForEvent('page'), mail.getByRole('link', { name: 'Unsubscribe' }).click()]);
  await expect(leave.getByRole('heading', { name: 'You are unsubscribed' })).toBeVisible();
  await leave.close();
  await api(request, 'POST', '/events', {
    id: `third-${address}`,
    source: 'e2e',
    type: 'cart.updated',
    data: { cartId: `third-${address}`, currency: 'EUR', value: 200, items: [], person: { email: address, consent: { email: true } } },
  });
  await api(request, 'POST', '/clock', { advance: 'P2D' });
  expect((await api<unknown[]>(request, 'GET', `/outside/api/mail?to=${address}`)).body).toHaveLength(2);
  await page.goto(`${base()}/people?q=${address}`);
  await page.getByRole('link', { name: 'Robin' }).click();
  await expect(page.getByTestId('reach')).toHaveText('Email: marketing does not go out');
  await expect(page.getByTestId('timeline').getByText(/Did not send “Reminder”: address is suppressed \(unsubscribed\)/)).toBeVisible();
});
