import { expect, test } from '@playwright/test';
import { api, base, expectAccessible, expectPagesAccessible, signIn, someone } from './kit';

test('an offer is written, its codes are issued by a flow and used in the shop, and its page tells what that cost', async ({
  page,
  request,
}) => {
  await signIn(page);
  await page.getByRole('link', { name: 'Offers', exact: true }).click();
  await page.getByRole('link', { name: 'New offer' }).click();
  await page.getByRole('button', { name: 'Create', exact: true }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'One thing is not right yet' })).toBeVisible();
  await page.getByLabel('Name', { exact: true }).fill('Five for a word');
  await page.getByRole('combobox', { name: 'It gives' }).selectOption('An amount');
  await page.getByLabel('EUR off').fill('5');
  await page.getByLabel('At least, EUR').fill('30');
  await page.getByLabel('What stands before the letters').fill('{{ person.firstName | fallback: "KEEPER" }}');
  await expect(page.getByTestId('terms')).toHaveText('€5 off from €30');
  await page.getByLabel(/^A cart that comes to/).fill('25');
  await expect(page.getByTestId('on-a-cart')).toHaveText('This code counts from €30 up: €5.00 more.');
  await page.getByLabel(/^A cart that comes to/).fill('60');
  await expect(page.getByTestId('on-a-cart')).toContainText('−€5.00, leaves €55.00');
  await page.getByLabel('has an order on its way').check();
  await page.keyboard.press('Control+z');
  await expect(page.getByLabel('has an order on its way')).not.toBeChecked();
  await expectAccessible(page);
  await page.getByRole('button', { name: 'Create', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'Five for a word' })).toBeVisible();
  await expect(page.getByTestId('sentence')).toContainText('€5 off from €30; a code counts for 3 days, to the end of the last day.');
  await expect(page.getByTestId('sentence')).toContainText('None goes to anybody who had one within 30 days.');

  // what it is for and who looks after it: on its page, and in the table
  await page.getByRole('button', { name: 'Description, owner and tags' }).click();
  const card = page.getByRole('dialog');
  await card.getByLabel('What it is for').fill('For who tells us a word');
  await card.getByLabel('Who looks after it').fill('Ines Halm');
  await card.getByLabel('Tags').fill('winter, words');
  await expectAccessible(page, { part: '[role="dialog"]' });
  await card.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByTestId('card')).toHaveText('For who tells us a wordInes Halm looks after it.winterwords');
  await page.getByRole('link', { name: 'All offers' }).click();
  await expect(page.getByRole('row', { name: /Five for a word/ })).toContainText('Ines Halm');
  await page.goBack();
  await expect(page.getByText('No code has been issued yet')).toBeVisible();

  // a flow that issues it, put together in the inspector
  const flow = {
    schema: 'viatic.flow/1',
    name: 'A word of theirs',
    triggers: [{ id: 'start', kind: 'event', event: 'app.word_left', key: null }],
    entry: null,
    stay: { test: 'didNot', event: 'order.placed', since: 'entry' },
    reentry: 'always',
    goal: null,
    steps: [
      {
        id: 'thanks',
        kind: 'send',
        name: 'Thanks',
        message: {
          schema: 'viatic.message/1',
          channel: 'email',
          kind: 'marketing',
          subject: 'Thank you for your word',
          preview: '',
          blocks: [
            { id: 'a', kind: 'text', text: 'We read it with care.' },
            { id: 'b', kind: 'offer', text: 'Take {{ offer.terms }} with {{ offer.code }}, up to {{ offer.expires }}.' },
          ],
        },
      },
    ],
  };
  expect((await api(request, 'PUT', '/flows/word-left', flow)).status).toBe(200);
  await page.goto(`${base()}/flows/word-left`);
  const script = page.getByRole('navigation', { name: 'Script' });
  const inspector = page.getByRole('complementary', { name: 'Inspector' });
  await page.getByRole('button', { name: 'Publish…' }).click();
  await expect(page.getByRole('dialog').getByText('“Thanks” tells of a code, and none is issued before it')).toBeVisible();
  await page.keyboard.press('Escape');
  await script.getByRole('button', { name: /^When:/ }).click();
  await inspector.getByRole('button', { name: 'Add the first step' }).click();
  await page.getByRole('menuitem', { name: 'Discount code', exact: true }).click();
  await expect(inspector.getByText('There is no offer offer')).toBeVisible();
  await inspector.getByRole('combobox', { name: 'Offer' }).selectOption('Five for a word');
  await expect(inspector.getByTestId('terms')).toContainText('€5 off from €30');
  await inspector.getByLabel('Two ways on').check();
  await expect(script.getByText('if they got one')).toBeVisible();
  await inspector.getByLabel('Two ways on').uncheck();
  await expect(page.getByText('Draft saved')).toBeVisible();
  await page.getByRole('button', { name: 'Publish…' }).click();
  await page
    .getByRole('dialog')
    .getByRole('button', { name: /^Publish/ })
    .click();
  await expect(page.getByRole('dialog')).toHaveCount(0);

  const address = someone('word');
  const left = {
    specversion: '1.0',
    id: `w-${Date.now()}`,
    source: 'test',
    type: 'app.word_left',
    data: { person: { email: address, firstName: 'Mira', consent: { email: true } } },
  };
  expect((await api(request, 'POST', '/events', left)).status).toBe(202);
  interface Mail {
    text: string;
  }
  const mails = async () => (await api<Mail[]>(request, 'GET', `/outside/api/mail?to=${address}`)).body;
  await expect.poll(async () => (await mails()).length).toBe(1);
  const { text } = (await mails())[0]!;
  const code = /MIRA-[A-Z2-9]{6}/.exec(text)![0];
  expect(text).toContain(`Take €5 off from €30 with ${code}, up to `);

  // used in the shop: typed in small letters, then not a second time
  const shop = await page.context().newPage();
  await shop.goto(`${base()}/outside/shop/p/QF-T112`);
  await shop.getByRole('button', { name: /in the cart/ }).click();
  await shop.getByRole('link', { name: 'To checkout' }).click();
  await shop.getByLabel('Email').fill(address);
  await shop.getByLabel('Discount code').fill(code.toLowerCase());
  await shop.getByRole('button', { name: 'Use' }).click();
  await expect(shop.getByText(/€5 off with/)).toBeVisible();
  await shop.getByRole('button', { name: 'Order and pay' }).click();
  await expect(shop.getByTestId('order-id')).toBeVisible();
  await shop.goto(`${base()}/outside/shop/p/QF-T112`);
  await shop.getByRole('button', { name: /in the cart/ }).click();
  await shop.getByRole('link', { name: 'To checkout' }).click();
  await shop.getByLabel('Email').fill(address);
  await shop.getByLabel('Discount code').fill(code);
  await shop.getByRole('button', { name: 'Use' }).click();
  await expect(shop.getByText('This code has been used.')).toBeVisible();
  await shop.close();

  await page.goto(`${base()}/offers/five-for-a-word`);
  const codes = page.getByRole('region', { name: 'Codes' });
  await expect(codes.getByText(code)).toBeVisible();
  await expect(codes.getByText('−€5.00, order')).toBeVisible();
  await expect(page.getByText('Discount given').locator('..')).toContainText('€5.00');

  // by hand, and put away
  await page.getByRole('button', { name: 'More' }).click();
  await page.getByRole('menuitem', { name: 'Issue a code to one person…' }).click();
  await page.getByLabel('Who').fill(address);
  await page.getByRole('radio').first().check();
  await page.getByRole('button', { name: 'Issue it' }).click();
  await expect(page.getByText(/^Issued: MIRA-/)).toBeVisible();
  await expectAccessible(page);
  await page.getByRole('button', { name: 'More' }).click();
  await page.getByRole('menuitem', { name: 'Archive' }).click();
  await expect(
    page
      .getByText('Still in use')
      .or(page.getByText(/Codes of it are issued in “A word of theirs”/))
      .first(),
  ).toBeVisible();
  expect((await api(request, 'POST', '/flows/word-left/pause')).status).toBe(200);
  await page.getByRole('button', { name: 'More' }).click();
  await page.getByRole('menuitem', { name: 'Archive' }).click();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText('It is back.')).toBeVisible();
});

test('the offers’ pages are accessible in both themes', async ({ page }) => {
  await signIn(page);
  await expectPagesAccessible(page, ['/offers', '/offers/new', '/offers/cart-10']);
});
