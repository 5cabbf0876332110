import { expect, test, type Page } from '@playwright/test';
import type { FlowDocument, SendStep } from '../src/core/flows';
import type { Block, Email } from '../src/core/messages';
import { api, base, expectAccessible, outside, signIn } from './kit';

const TEN = {
  schema: 'viatic.offer/1',
  name: 'Ten off',
  gives: { kind: 'percent', percent: 10 },
  currency: 'EUR',
  combines: false,
  expires: { after: 'P3D' },
  comesBack: true,
  who: null,
  guard: {},
  code: { prefix: 'TEN', letters: 6 },
};
const carts = (steps: object[]) => ({
  schema: 'viatic.flow/1',
  name: 'Letters of carts',
  triggers: [{ id: 'start', kind: 'silence', event: 'cart.updated', key: 'cartId', after: 'PT1H', unless: { event: 'order.placed' } }],
  entry: { test: 'consent', channel: 'email', reachable: true },
  stay: { test: 'didNot', event: 'order.placed', since: 'entry' },
  reentry: 'once-per-key',
  goal: null,
  steps,
});
const letter = (blocks: Block[], more: Partial<Email> = {}): Email => ({
  schema: 'viatic.message/1',
  channel: 'email',
  kind: 'marketing',
  subject: '',
  preview: '',
  blocks,
  ...more,
});
const cart = (email: string, items: number, person: object) => ({
  id: `letters-${email}`,
  source: 'e2e',
  type: 'cart.updated',
  data: {
    cartId: `letters-${email}`,
    currency: 'EUR',
    value: 10 * items,
    items: Array.from({ length: items }, (_, n) => ({ sku: `L${n}`, name: `Letter thing ${n + 1}`, quantity: 1, price: 10 })),
    checkoutUrl: 'http://shop.example/cart',
    person: { email, consent: { email: true }, ...person },
  },
});
const sheet = (page: Page) => page.getByTestId('letter');
const received = (page: Page) => page.frameLocator('iframe[title="The letter"]').locator('body');
/** Puts something in by the list that opens, found by typing. */
const pick = async (page: Page, words: string) => {
  await page.getByRole('combobox', { name: 'What shall stand here?' }).fill(words);
  await page.keyboard.press('Enter');
};

test('a cart letter is written from nothing, with table, code and condition; seen as three people, tried out, and published', async ({
  page,
  request,
}) => {
  await api(request, 'PUT', '/offers/letters-ten', TEN);
  const people: [string, number, object][] = [
    ['letters-a@example.com', 2, { firstName: 'Ada', country: 'NL' }],
    ['letters-b@example.com', 5, { firstName: 'Bartholomew-Alexander', country: 'DE' }],
    ['letters-c@example.com', 1, { country: 'NL' }],
  ];
  for (const one of people) await api(request, 'POST', '/events', cart(...one));
  await api(
    request,
    'PUT',
    '/flows/letters',
    carts([
      { id: 'code', kind: 'code', name: 'Ten off', offer: 'letters-ten' },
      { id: 'mail', kind: 'send', name: 'Still here', message: letter([]) },
    ]),
  );
  await signIn(page, '/flows/letters');
  await page.getByRole('navigation', { name: 'Script' }).getByRole('button', { name: 'Send “Still here”' }).click();
  // who types faster than the values come has them chosen when they are there
  let valuesMayCome = () => {};
  const mayCome = new Promise<void>((done) => (valuesMayCome = done));
  await page.route('**/api/v1/attributes', async (route) => {
    await mayCome;
    await route.continue();
  });
  await page.getByRole('button', { name: 'Write the letter' }).click();
  await expect(page.getByText('has no subject')).toBeVisible();
  await page.getByRole('textbox', { name: 'Subject' }).fill('Still here for you');
  await page.getByRole('textbox', { name: 'Preview line' }).fill('Just as you left it');

  // from the empty sheet by keyboard: a text, a value in it, then the items of the cart by a slash
  await sheet(page).getByRole('button', { name: 'Put something in' }).click();
  await pick(page, 'paragraph');
  const text = () => sheet(page).getByRole('textbox', { name: 'Text', exact: true });
  await text().first().click();
  await page.keyboard.type('Hello {');
  await page.getByRole('combobox', { name: 'Which value?' }).fill('firstName');
  await expect(page.getByText('Loading…')).toBeVisible();
  await page.keyboard.press('Enter');
  // as soon as it stands there, what is typed goes into the text again
  const isTextInHand = page.evaluate(
    () =>
      new Promise<boolean>((done) => {
        const letter = document.querySelector('[data-testid=letter]')!;
        new MutationObserver((_, observer) => {
          if (![...letter.querySelectorAll('[role=button]')].some((one) => one.textContent?.includes('first name'))) return;
          observer.disconnect();
          done(document.activeElement instanceof HTMLElement && document.activeElement.isContentEditable);
        }).observe(letter, { childList: true, subtree: true });
      }),
  );
  valuesMayCome();
  await expect(sheet(page).getByRole('button', { name: /first name/ })).toBeVisible();
  expect(await isTextInHand).toBe(true);
  await page.keyboard.type(',');
  await page.keyboard.press('Enter');
  await page.keyboard.press('Control+b');
  await page.keyboard.type('these');
  await page.keyboard.press('Control+b');
  await page.keyboard.type(' are still in your cart:');
  await page.keyboard.press('Enter');
  await page.keyboard.type('/');
  await pick(page, 'basket');
  await sheet(page).getByRole('button', { name: 'Put something in' }).click();
  await pick(page, 'coupon');
  await sheet(page).getByRole('button', { name: 'Put something in' }).click();
  await pick(page, 'action');
  await sheet(page).getByLabel('Words of the button').fill('Back to my cart');
  await expect(sheet(page).getByText(/The button “Back to my cart” leads nowhere/)).toBeVisible();
  await sheet(page)
    .getByRole('button', { name: /^Settings: Button/ })
    .click();
  await page.getByLabel('Leads to').fill('{{ event.checkoutUrl | with: "code", offer.code }}');
  await page.keyboard.press('Escape');
  await expect(sheet(page).getByText(/leads nowhere/)).toBeHidden();

  // a sentence for some: a condition, and a text that is shown to them only
  await sheet(page).getByRole('button', { name: 'Put something in' }).click();
  await pick(page, 'paragraph');
  await expect(text().last()).toBeFocused();
  await page.keyboard.type('We send to Germany by van.');
  await expect(sheet(page).getByText('We send to Germany by van.')).toBeVisible();
  await sheet(page)
    .getByRole('button', { name: /^Settings: Text, part 5/ })
    .click();
  await page.getByLabel('Shown to').selectOption('new');
  const dialog = page.getByRole('dialog', { name: 'Who sees what' });
  await dialog.getByRole('button', { name: 'Add a condition' }).click();
  await dialog.getByLabel('Name').fill('In Germany');
  await dialog.getByPlaceholder('Add a condition by typing').fill('country DE');
  await dialog
    .getByRole('option', { name: /country is “?DE”?\b/ })
    .first()
    .click();
  await dialog.getByRole('button', { name: 'Done' }).click();
  await sheet(page)
    .getByRole('button', { name: /^Settings: Text, part 5/ })
    .click();
  await page.getByLabel('Shown to').selectOption('only c1');
  await page.keyboard.press('Escape');
  await expect(sheet(page).getByText('Only where “In Germany”')).toBeVisible();
  await expectAccessible(page);

  // as three people: the telling ones are offered
  const as = page.getByLabel('As whom');
  // by name: who else shows something depends on what other tests have made
  const see = async (name: string) => as.selectOption((await as.locator('option', { hasText: name }).first().getAttribute('value'))!);
  await expect(as.locator('option', { hasText: 'no first name' })).toHaveCount(1);
  await see('letters-c@example.com');
  await expect(received(page)).toContainText('Hello there,');
  await expect(received(page).getByText('Letter thing 1')).toBeVisible();
  await expect(received(page)).not.toContainText('Germany');
  await see('Bartholomew-Alexander');
  await expect(received(page)).toContainText('Hello Bartholomew-Alexander,');
  await expect(received(page)).toContainText('Letter thing 5');
  await expect(received(page)).toContainText('We send to Germany by van.');
  await see('Ada');
  await expect(received(page)).toContainText('Hello Ada,');
  await expect(received(page)).not.toContainText('Germany');
  await page.getByRole('button', { name: 'Text', exact: true }).click();
  await expect(page.getByTestId('as-text')).toContainText('- 1 × Letter thing 2, €10.00');
  await page.getByRole('button', { name: 'Narrow' }).click();
  await page.getByRole('button', { name: 'Night' }).click();
  await expect(received(page)).toHaveCSS('background-color', 'rgb(23, 26, 31)');

  // a test of it, then the flow is on
  await page.getByRole('button', { name: 'Send a test' }).click();
  await page.getByRole('dialog').getByLabel('To').fill('letters-colleague@example.com');
  await page.getByRole('dialog').getByRole('button', { name: 'Send', exact: true }).click();
  await expect(page.getByText('The test is on its way')).toBeVisible();
  type Mail = { subject: string; html: string; text: string; signature: string };
  const mailTo = async (to: string) => (await (await request.get(`${base()}/outside/api/mail?to=${to}`)).json()) as Mail[];
  await expect
    .poll(async () => (await mailTo('letters-colleague@example.com')).map(({ subject }) => subject))
    .toEqual(['[Test] Still here for you']);
  await page.getByRole('button', { name: 'To the map' }).click();
  await expect(page.getByText('Draft saved')).toBeVisible();
  await page.getByRole('button', { name: 'Publish…' }).click();
  await page
    .getByRole('dialog')
    .getByRole('button', { name: /^Publish/ })
    .click();
  await expect(page.getByText('Version 1', { exact: true })).toBeVisible();
  await api(request, 'POST', '/events', cart('letters-d@example.com', 2, { firstName: 'Dora', country: 'DE' }));
  await api(request, 'POST', '/clock', { advance: 'PT2H' });
  // the demo's own flow writes about the same cart
  const ours = async () => (await mailTo('letters-d@example.com')).filter(({ subject }) => subject === 'Still here for you');
  await expect.poll(async () => (await ours()).length).toBe(1);
  const [mail] = await ours();
  // signed in the name of the store's domain, as the mail server finds
  expect(mail!.signature).toBe('pass (quillfin.example)');
  expect(mail!.text).toMatch(/Hello Dora,[\s\S]*Letter thing 1[\s\S]*TEN-[A-Z0-9]{6}[\s\S]*We send to Germany by van/);
});

test('parts are moved by keys and by hand, doubled, taken out, put in columns, and kept in the library', async ({ page, request }) => {
  await api(request, 'PUT', '/messages/parts', {
    name: 'Parts',
    message: letter(
      [
        { id: 'b1', kind: 'text', text: 'First' },
        { id: 'b2', kind: 'text', text: 'Second' },
      ],
      { subject: 'Parts' },
    ),
  });
  await signIn(page, '/messages/parts');
  const kinds = () =>
    sheet(page)
      .locator('[data-block]')
      .evaluateAll((all) => all.map((one) => one.getAttribute('data-block')));
  const first = sheet(page).getByRole('group', { name: 'Text, part 1' });
  await first.getByRole('textbox', { name: 'Text' }).click();
  await page.keyboard.press('Alt+ArrowDown');
  await expect(sheet(page).getByRole('group', { name: 'Text, part 1' })).toContainText('Second');
  await page.keyboard.press('Control+z');
  await expect(sheet(page).getByRole('group', { name: 'Text, part 1' })).toContainText('First');
  // a slash between two lines parts the text
  await first.getByRole('textbox', { name: 'Text' }).click();
  await page.keyboard.press('End');
  await page.keyboard.press('Enter');
  await page.keyboard.type('after it');
  await page.keyboard.press('Home');
  await page.keyboard.press('Enter');
  await page.keyboard.press('ArrowUp');
  await page.keyboard.type('/');
  await pick(page, 'photo');
  expect(await kinds()).toEqual(['text', 'picture', 'text', 'text']);
  await expect(sheet(page).getByText(/has no address/)).toBeVisible();
  // the sheet is light in the dark, and what stands on it can be read
  await page.getByRole('button', { name: 'Switch to the dark theme' }).click();
  await expectAccessible(page, { rules: ['color-contrast'] });
  await page.getByRole('button', { name: 'Switch to the light theme' }).click();
  await sheet(page)
    .getByRole('button', { name: /^Settings: Picture/ })
    .click();
  await page.getByLabel('Picture to upload').setInputFiles({
    name: 'dot.png',
    mimeType: 'image/png',
    buffer: Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64'),
  });
  await expect(page.getByLabel('Address of the picture')).toHaveValue(/\/files\//);
  await page.getByLabel('What it shows').fill('A dot');
  await page.keyboard.press('Escape');
  await expect(received(page).getByRole('img', { name: 'A dot' })).toBeVisible();

  await sheet(page).getByRole('button', { name: 'Put something in' }).click();
  await pick(page, 'columns');
  expect((await kinds()).at(-3)).toBe('columns');
  await sheet(page).getByRole('group', { name: 'Column 2' }).getByRole('button', { name: 'Put in' }).click();
  await pick(page, 'heading');
  await sheet(page).getByRole('textbox', { name: 'Heading' }).fill('To the right');
  await expect(received(page)).toContainText('To the right');
  await sheet(page).getByRole('group', { name: 'Text, part 3' }).hover();
  await sheet(page).getByRole('button', { name: 'More: Text, part 3' }).click();
  await page.getByRole('menuitem', { name: 'Duplicate' }).click();
  await sheet(page).getByRole('button', { name: 'More: Text, part 4' }).click();
  await page.getByRole('menuitem', { name: 'Save to the library…' }).click();
  await page.getByRole('dialog').getByLabel('Name').fill('After it');
  await page.getByRole('dialog').getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('dialog')).toBeHidden();
  await sheet(page).getByRole('button', { name: 'Put something in' }).click();
  await pick(page, 'After it');
  await expect(sheet(page).getByText('after it')).toHaveCount(3);
  await expectAccessible(page);
  await expect(page.getByText('Saved', { exact: true })).toBeVisible();
  const { body } = await api<{ message: Email; revision: number }>(request, 'GET', '/messages/parts');
  expect(body.message.blocks.map(({ kind }) => kind)).toEqual(['text', 'picture', 'text', 'text', 'text', 'columns', 'text']);
  await page.goto(`${base()}/messages`);
  await expect(page.getByRole('link', { name: 'Parts', exact: true })).toBeVisible();
  await expect(page.getByRole('link', { name: 'After it' })).toBeVisible();
  await expectAccessible(page);
});

test('a letter of the library is put into a flow, is told when its original changes, and takes it over', async ({ page, request }) => {
  const hello = (words: string) => ({
    name: 'Hello of the library',
    message: letter([{ id: 'b1', kind: 'text', text: words }], { subject: 'Hello' }),
  });
  await api(request, 'PUT', '/messages/hello-kept', hello('As it was'));
  await api(request, 'PUT', '/flows/letters-kept', carts([{ id: 'mail', kind: 'send', name: 'Hello', message: letter([]) }]));
  await signIn(page, '/flows/letters-kept');
  await page.getByRole('navigation', { name: 'Script' }).getByRole('button', { name: 'Send “Hello”' }).click();
  await page.getByRole('button', { name: 'Write the letter' }).click();
  await page.getByRole('button', { name: 'Library' }).click();
  await page.getByRole('menuitem', { name: /^Take a letter/ }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Hello of the library' }).click();
  await expect(sheet(page)).toContainText('As it was');
  const draft = async () => (await api<{ draft: FlowDocument }>(request, 'GET', '/flows/letters-kept')).body.draft;
  await expect.poll(async () => ((await draft()).steps[0] as SendStep).message.from).toMatchObject({ key: 'hello-kept' });
  await api(request, 'PUT', '/messages/hello-kept', hello('As it is'));
  await page.reload();
  await page.getByRole('navigation', { name: 'Script' }).getByRole('button', { name: 'Send “Hello”' }).click();
  await page.getByRole('button', { name: 'Write the letter' }).click();
  await page.getByRole('button', { name: 'Its original has changed' }).click();
  await expectAccessible(page);
  await page.getByRole('button', { name: 'Take the library’s' }).click();
  await expect(sheet(page)).toContainText('As it is');
  await expect(page.getByRole('button', { name: 'Its original has changed' })).toBeHidden();
  await expect.poll(async () => ((await draft()).steps[0] as SendStep).message.from?.revision).toBe(2);

  // other words everywhere: looked for, then put
  await page.goto(`${base()}/messages`);
  await page.getByRole('button', { name: 'Find and replace…' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Find').fill('As it is');
  await dialog.getByLabel('Put in its place').fill('As it will be');
  await dialog.getByRole('button', { name: 'Look where it stands' }).click();
  await expect(dialog.getByText('“Hello of the library” of the library')).toBeVisible();
  await dialog.getByRole('button', { name: 'Replace in 2 messages' }).click();
  await expect(page.getByText('Replaced in 2 messages.')).toBeVisible();
  expect((((await draft()).steps[0] as SendStep).message as Email).blocks).toMatchObject([{ text: 'As it will be' }]);
});

test('a brand is changed, every letter follows; a feed is read and shown', async ({ page, request }) => {
  await signIn(page, '/messages/brand');
  const preview = page.frameLocator('iframe[title="A letter"]').locator('body');
  await expect(preview.getByRole('heading', { name: 'A heading' })).toBeVisible();
  await page.getByLabel('Words on buttons, by day').fill('#777777');
  await expect(page.getByText(/By day, the words of a button cannot be read well/)).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText(/Everything can be read/)).toBeVisible();
  await page.getByLabel('What else stands there').fill('Registered in Waterstad');
  await expect(preview).toContainText('Registered in Waterstad');
  await expect(page.getByText('Saved', { exact: true })).toBeVisible();
  await expectAccessible(page);
  const { body } = await api<{ html: string }>(request, 'POST', '/messages/render', {
    message: letter([{ id: 'b1', kind: 'text', text: 'x' }]),
  });
  expect(body.html).toContain('Registered in Waterstad');
  await page.getByLabel('What else stands there').fill('');
  await expect(page.getByText('Saved', { exact: true })).toBeVisible();

  await page.goto(`${base()}/messages/feeds`);
  await page.getByRole('button', { name: 'Add a feed' }).click();
  await page.getByRole('dialog').getByLabel('Name').fill('What we write');
  await page.getByRole('dialog').getByLabel('Address').fill(`${outside()}/outside/blog/feed`);
  await page.getByRole('dialog').getByRole('button', { name: 'Save' }).click();
  await expect(page.getByRole('region', { name: 'What we write' }).getByText('How much food is too much')).toBeVisible();
  await expectAccessible(page);
});

test('products are read by themselves from the shop’s file; a sender is asked, says yes, and letters go out in its name', async ({
  page,
  request,
}) => {
  await signIn(page, '/data/products');
  await page.getByRole('button', { name: 'Read by itself…' }).click();
  await page.getByRole('button', { name: 'Add an address' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Name', { exact: true }).first().fill('The range');
  await dialog.getByLabel('Address', { exact: true }).first().fill(`${outside()}/outside/shop/products.csv`);
  await expectAccessible(page);
  await dialog.getByRole('button', { name: 'Save' }).click();
  await expect(dialog.getByText(/read .*, \d+ products/)).toBeVisible();
  await expect(dialog.getByText(/left out/)).toBeHidden();
  await dialog.getByRole('button', { name: 'Delete' }).click();
  await expect(dialog.getByText('Nothing is read by itself yet.')).toBeVisible();

  await page.goto(`${base()}/settings/sending`);
  await page.getByLabel('Name of the sender').fill('Marla of the shop');
  await page.getByLabel('Its address').fill('letters-marla@example.com');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(page.getByText('waits for its owner’s yes')).toBeVisible();
  type Mail = { links: string[]; from: string };
  const mailTo = async (to: string) => (await (await request.get(`${base()}/outside/api/mail?to=${to}`)).json()) as Mail[];
  await expect.poll(async () => (await mailTo('letters-marla@example.com')).length).toBe(1);
  const [link] = (await mailTo('letters-marla@example.com'))[0]!.links.filter((one) => one.includes('/sender/'));
  await page.goto(link!);
  await page.getByRole('button', { name: 'Yes, use this address' }).click();
  await expect(page.getByRole('heading', { name: 'Thank you' })).toBeVisible();

  // what her domain is to have in its DNS: nothing of it yet, then one of it
  await page.goto(`${base()}/settings/sending`);
  await page.getByRole('button', { name: 'DNS records of Marla of the shop' }).click();
  const records = page.getByRole('list', { name: 'Records' });
  await expect(records.getByText('not there yet')).toHaveCount(3);
  await expectAccessible(page, { part: '[role="dialog"]' });
  const text = await records.getByLabel(/^Text of the record for Signature/).textContent();
  await request.post(`${outside()}/outside/dns`, { form: { name: 'viatic._domainkey.example.com', text: text! }, maxRedirects: 0 });
  await page.getByRole('button', { name: 'Look again' }).click();
  await expect(records.getByText('is there', { exact: true })).toHaveCount(1);
  await page.getByRole('button', { name: 'Done' }).click();
  await page.getByRole('button', { name: 'DNS records of Quillfin' }).click();
  await expect(records.getByText('is there', { exact: true })).toHaveCount(3);
  await page.keyboard.press('Escape');

  await api(request, 'PUT', '/messages/in-her-name', {
    name: 'In her name',
    message: letter([{ id: 'b1', kind: 'text', text: 'Hello' }], { subject: 'In her name' }),
  });
  await page.goto(`${base()}/messages/in-her-name`);
  await page.getByLabel('From', { exact: true }).selectOption({ label: 'Marla of the shop (letters-marla@example.com)' });
  await page.getByRole('button', { name: 'Send a test' }).click();
  await page.getByRole('dialog').getByLabel('To').fill('letters-friend@example.com');
  await page.getByRole('dialog').getByRole('button', { name: 'Send', exact: true }).click();
  await expect
    .poll(async () => (await mailTo('letters-friend@example.com')).map(({ from }) => from))
    .toEqual(['"Marla of the shop" <letters-marla@example.com>']);
});
