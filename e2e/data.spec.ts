import { expect, test } from '@playwright/test';
import { api, base, expectPagesAccessible, mailTo, signIn, someone } from './kit';

test('a source: made, its key shown once, a test event arrives, a bad event says what was wrong', async ({ page, request }) => {
  await signIn(page, '/data');
  await page.getByRole('button', { name: 'New source' }).click();
  await page.getByLabel('Name').fill('App server');
  await page.getByRole('button', { name: 'Create', exact: true }).click();
  const key = (await page.getByLabel('key', { exact: true }).textContent())!;
  expect(key).toMatch(/^vk_/);
  await page.getByRole('button', { name: 'Done', exact: true }).click();
  await page.getByRole('button', { name: 'Send a test event' }).click();
  await expect(page.getByTestId('arrivals').getByText('app.test')).toBeVisible();
  const address = someone('kim');
  const send = (data: object, path = '/api/v1/events') =>
    request.post(`${base()}${path}`, { headers: { authorization: `Bearer ${key}` }, data });
  expect(
    (
      await send({
        id: address,
        source: 'app',
        type: 'app.opened',
        data: { person: { email: address, firstName: '<img src=x onerror=alert(1)>' } },
      })
    ).status(),
  ).toBe(202);
  await expect(page.getByTestId('arrivals').getByText('app.opened')).toBeVisible();
  await expect(page.getByText('<img src=x onerror=alert(1)>').first()).toBeVisible();
  // a refund that names nobody, before its order: it can be seen to wait
  await send({ id: `${address}-refund`, source: 'app', type: 'order.refunded', data: { orderId: `none-${address}`, value: 5 } });
  await expect(page.getByTestId('waiting')).toContainText('1 refund or cancellation is waiting for an order that hasn’t arrived yet.');
  await send({
    id: `${address}-2`,
    source: 'app',
    type: 'cart.updated',
    data: { cartId: 'x', currency: 'EURO', value: 1, person: { email: address } },
  });
  await page.getByRole('tab', { name: /Rejected/ }).click();
  await page.getByText('data.currency is not a currency of ISO 4217').click();
  await expect(page.getByText('Right is: three capital letters such as EUR.')).toBeVisible();
  // the key may send events and nothing else
  expect((await request.get(`${base()}/api/v1/people`, { headers: { authorization: `Bearer ${key}` } })).status()).toBe(403);
  await page.getByRole('button', { name: 'Revoke' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Revoke' }).click();
  await expect(page.getByText('revoked', { exact: true })).toBeVisible();
  await expect
    .poll(async () => (await send({ id: 'x', source: 'app', type: 'app.opened', data: { person: { email: address } } })).status())
    .toBe(401);
});

test('a mapping: pointed at the sample, the fields of an item too, tried on what was received, kept as the next version', async ({
  page,
  request,
}) => {
  await signIn(page);
  const { body } = await api<{ sources: { key: string; kind: string; name: string }[] }>(request, 'GET', '/sources');
  const till = body.sources.find((one) => one.name.startsWith('Till'))!.key;
  await page.goto(`${base()}/data/sources/${till}`);
  await page
    .getByRole('tab', { name: 'Mapping, version 1' })
    .or(page.getByRole('button', { name: 'Mapping, version 1' }))
    .click();
  const fields = page.getByRole('group', { name: 'The sample, field by field' });
  await expect(fields.getByLabel('What sale.lines[0].title is')).toHaveValue('name');
  await expect(fields.getByLabel('What sale.lines[0].article is')).toHaveValue('sku');
  // the till's number becomes a property as well as its lines keep their names
  await fields.getByLabel('What sale.lines[0].article is').selectOption({ label: 'left out' });
  await fields.getByLabel('What sale.lines[0].title is').selectOption({ label: 'Item: article number' });
  await page.getByRole('button', { name: /^Try it on 3 bodies$/ }).click();
  const tried = page.getByTestId('tried');
  await tried.getByText('order.placed').first().click();
  await expect(tried.getByText(/"sku": "Flake food|sku.*Flake food/).first()).toBeVisible();
  await page.getByRole('button', { name: 'Save as version 2' }).click();
  await expect(page.getByText('Saved as version 2.')).toBeVisible();
  const after = await api<{ mapping: { version: number; document: { items: object } } }>(request, 'GET', `/sources/${till}`);
  expect(after.body.mapping).toMatchObject({ version: 2, document: { items: { path: 'sale.lines', sku: 'title' } } });
  expect(after.body.mapping.document.items).not.toHaveProperty('name', 'title');
});

test('a file: columns are guessed, it is played through, spellings are mapped in one go, imported, and undone', async ({
  page,
  request,
}) => {
  const tag = `fair-${Date.now()}`;
  await signIn(page, '/data/files/new');
  await page.locator('input[type=file]').setInputFiles({
    name: 'people.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(
      [
        'Customer ID;Email;First name;Country;Accepts newsletter',
        `${tag}1;${tag}.ada@example.com;Ada;USA;yes`,
        `${tag}2;${tag}.ben@example.com;Ben;United States;no`,
        `${tag}3;nonsense;Kim;NL;yes`,
        '',
      ].join('\n'),
    ),
  });
  await expect(page.getByLabel('What the column Customer ID is')).toHaveValue('externalId');
  await expect(page.getByLabel('Between cells')).toHaveValue(';');
  await page.getByLabel('Tag everybody').fill(tag);
  await page.getByRole('button', { name: 'Check first' }).click();
  const findings = page.getByTestId('findings');
  await expect(findings).toContainText('2 new people');
  await expect(findings).toContainText('1 row is bad');
  await page.getByRole('button', { name: 'Map all of them in one go' }).click();
  expect((await api<{ total: number }>(request, 'GET', `/people?limit=0&q=${tag}`)).body.total).toBe(0);
  await page.getByRole('button', { name: 'Import', exact: true }).click();
  await expect(page.getByTestId('findings')).toContainText('2 new people');
  const [file] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: 'Which, and why' }).click()]);
  const { readFileSync } = await import('node:fs');
  expect(readFileSync(await file.path(), 'utf8')).toContain('is not an email address');
  const { body } = await api<{ people: { country: string; tags: string[] }[] }>(request, 'GET', `/people?q=${tag}`);
  expect(body.people.map((one) => one.country)).toEqual(['US', 'US']);
  expect(body.people[0]!.tags).toEqual([tag]);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByText('That is undone.')).toBeVisible();
  expect((await api<{ total: number }>(request, 'GET', `/people?limit=0&q=${tag}`)).body.total).toBe(0);
});

test('a form with double opt-in: nothing counts before the click, looking at the link confirms nothing, then a flow delivers what was promised', async ({
  page,
  request,
  context,
}) => {
  await signIn(page, '/data/forms');
  await page.getByRole('button', { name: 'New form' }).click();
  const name = `Guide ${Date.now()}`;
  await page.getByLabel('Name', { exact: true }).fill(name);
  await page.getByRole('button', { name: 'Create', exact: true }).click();
  await page.getByLabel('Promised for signing up').selectOption('link');
  await page.getByLabel('Its address').fill('http://shop.example/guide.pdf');
  await page.getByRole('button', { name: 'Field', exact: true }).click();
  await expect(page.getByText('Saved', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Start a flow from this form' }).click();
  await expect(page.getByLabel('Name of the flow')).toHaveValue(`After “${name}”`);
  await page
    .getByRole('button', { name: /^Publish/ })
    .first()
    .click();
  await page
    .getByRole('dialog')
    .getByRole('button', { name: /Publish/ })
    .click();
  await expect(page.getByText(/is on\.$/)).toBeVisible();

  const key = name.toLowerCase().replace(/ /g, '-');
  const visitor = await context.newPage();
  const address = someone('sign.up');
  await visitor.goto(`${base()}/form/${key}`);
  await visitor.getByRole('button', { name: 'Sign up' }).click();
  await expect(visitor.getByText('Please fill this in.')).toBeVisible();
  await visitor.getByLabel('Email address').fill('nonsense');
  await visitor.getByLabel(/First name/).fill('<b>Robin</b>');
  await visitor.getByRole('checkbox').check();
  await visitor.getByRole('button', { name: 'Sign up' }).click();
  await expect(visitor.getByText('This is not an email address')).toBeVisible();
  await expect(visitor.getByLabel(/First name/)).toHaveValue('<b>Robin</b>');
  await visitor.getByLabel('Email address').fill(address);
  await visitor.getByRole('button', { name: 'Sign up' }).click();
  await expect(visitor.getByText('One more click')).toBeVisible();

  const asked = await mailTo(request, address, /One click/);
  const link = asked.links.find((one) => one.includes('/confirm/'))!;
  expect((await request.get(link)).status()).toBe(200);
  const find = async () =>
    (await api<{ people: { id: string; unreachable: string | null }[] }>(request, 'GET', `/people?q=${encodeURIComponent(address)}`)).body
      .people;
  expect(await find()).toEqual([]);
  await visitor.goto(link);
  await visitor.getByRole('button', { name: 'Yes, it was me' }).click();
  await expect(visitor.getByText('You are on the list.')).toBeVisible();
  const people = await find();
  expect(people).toMatchObject([{ unreachable: null }]);
  await api(request, 'POST', '/clock', { advance: 'PT1M' });
  const promised = await mailTo(request, address, /Here it is/);
  expect(promised.text).toContain('<b>Robin</b>');
  await page.goto(`${base()}/people/${encodeURIComponent(people[0]!.id)}`);
  await expect(page.getByTestId('timeline').getByText('Submitted a form', { exact: true })).toBeVisible();
  await expect(page.getByText(/confirmed by mail/).first()).toBeVisible();
});

test('the preference page: topics, a pause, leaving everything; each is on the record', async ({ page, request, context }) => {
  const address = someone('prefs');
  await api(request, 'POST', '/events', {
    id: address,
    source: 'e2e',
    type: 'cart.updated',
    data: {
      cartId: address,
      currency: 'EUR',
      value: 20,
      items: [{ name: 'Moss ball', quantity: 2, price: 10 }],
      checkoutUrl: 'http://shop.example/c',
      person: { email: address, firstName: 'Kim', consent: { email: true, wording: 'Yes please', box: 'unticked', country: 'NL' } },
    },
  });
  await api(request, 'POST', '/clock', { advance: 'PT2H' });
  const mail = await mailTo(request, address, /cart/);
  const link = mail.links.find((one) => one.includes('/prefs/'))!;
  const reader = await context.newPage();
  await reader.goto(link);
  await expect(reader.getByRole('checkbox', { name: /may write to me by email/ })).toBeChecked();
  await reader.getByRole('checkbox', { name: /Offers/ }).uncheck();
  await reader.getByLabel(/A pause/).selectOption('30');
  await reader.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(reader.getByText('That is kept.')).toBeVisible();
  const { body } = await api<{ people: { id: string; unreachable: string }[] }>(request, 'GET', `/people?q=${encodeURIComponent(address)}`);
  expect(body.people[0]!.unreachable).toBe('asked for a pause that still lasts');
  await reader.getByRole('button', { name: 'Leave everything' }).click();
  await expect(reader.getByText('You have left everything.')).toBeVisible();
  await signIn(page, `/people/${encodeURIComponent(body.people[0]!.id)}`);
  await expect(page.getByTestId('reach')).toContainText('marketing does not go out');
  await page.getByRole('link', { name: 'Record of consent, to print' }).click();
  await expect(page.getByText('“Yes please”')).toBeVisible();
  await expect(page.getByText('preference page')).toBeVisible();
});

test('the page snippet: browsing before anybody is known becomes theirs when the shop’s server tells a checkout from the same browser', async ({
  page,
  request,
  context,
}) => {
  const shop = await context.newPage();
  await shop.goto(`${base()}/outside/shop/p/QF-T060`);
  await shop.getByRole('button', { name: /in the cart/ }).click();
  await shop.goto(`${base()}/outside/shop/checkout`);
  const address = someone('browser');
  await shop.getByLabel('Email').fill(address);
  await shop.getByLabel('First name').focus();
  await expect(shop.getByText('We keep your cart for you.')).toBeVisible();
  await shop.close();
  await signIn(page);
  await expect
    .poll(async () => (await api<{ people: unknown[] }>(request, 'GET', `/people?q=${encodeURIComponent(address)}`)).body.people.length)
    .toBe(1);
  const { body } = await api<{ people: { id: string }[] }>(request, 'GET', `/people?q=${encodeURIComponent(address)}`);
  await page.goto(`${base()}/people/${encodeURIComponent(body.people[0]!.id)}`);
  await expect(page.getByTestId('timeline').getByText('Viewed a product')).toBeVisible();
  await expect(page.getByTestId('timeline').getByText('Viewed a page').first()).toBeVisible();
  await expect(page.getByRole('region', { name: 'Known by' }).getByText('device', { exact: true })).toBeVisible();
});

test('the person page: edit, tag, list, event, why not, write; two are merged and undone', async ({ page, request }) => {
  const [one, other] = [someone('one'), someone('other')];
  await api(request, 'POST', '/events', [
    {
      id: one,
      source: 'e2e',
      type: 'order.placed',
      data: { orderId: `o-${one}`, currency: 'EUR', value: 30, person: { email: one, firstName: 'Robin' } },
    },
    {
      id: other,
      source: 'e2e',
      type: 'order.placed',
      data: { orderId: `o-${other}`, currency: 'EUR', value: 12, person: { email: other, firstName: 'Rob' } },
    },
  ]);
  await signIn(page, `/people?q=${encodeURIComponent(one)}`);
  await page.getByRole('link', { name: 'Robin' }).click();
  await page.getByRole('button', { name: 'Edit' }).click();
  await page.getByLabel('last name').fill('Keeper');
  await page.getByRole('dialog').getByRole('button', { name: 'Save' }).click();
  await expect(page.getByTestId('person-name')).toHaveText('Robin Keeper');
  await page.getByRole('button', { name: 'Tag', exact: true }).click();
  await page.getByRole('dialog').getByLabel('Tag').fill('helper');
  await page.getByRole('dialog').getByRole('button', { name: 'Add', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Remove the tag helper' })).toBeVisible();
  await page.getByRole('button', { name: 'More to do' }).click();
  await page.getByRole('menuitem', { name: 'Record an event' }).click();
  await page.getByLabel('Type').fill('app.tank_added');
  await page.getByRole('dialog').getByRole('button', { name: 'Add', exact: true }).click();
  await expect(page.getByTestId('timeline').getByText('app.tank_added')).toBeVisible();
  await page.getByRole('button', { name: 'Why not …?' }).click();
  await expect(page.getByTestId('why-says')).toContainText('never');
  await page.getByRole('button', { name: 'Close' }).click();
  await page.getByRole('button', { name: 'Write' }).click();
  await page.getByLabel('Subject').fill('Your question');
  await page.getByLabel('Text').fill('Hello {{ person.firstName }}, the answer is yes.');
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  expect((await mailTo(request, one, /Your question/)).text).toContain('Hello Robin, the answer is yes.');

  await page.getByRole('button', { name: 'More to do' }).click();
  await page.getByRole('menuitem', { name: 'Merge with another person' }).click();
  await page.getByLabel('Whom').fill(other);
  await page.getByRole('radio').first().check();
  await page.getByRole('button', { name: /^Merge with Rob/ }).click();
  await expect(page.getByText('€42.00')).toBeVisible();
  await page.goto(`${base()}/data/merges`);
  await page.getByRole('button', { name: 'Undo' }).first().click();
  await expect(page.getByText('They are two again.')).toBeVisible();
  await page.goto(`${base()}/people?q=${encodeURIComponent(one)}`);
  await page.getByRole('link', { name: 'Robin Keeper' }).click();
  await expect(page.getByText('€30.00').first()).toBeVisible();
});

test('many at once: filtered, chosen, tagged with the count before, undone; a view is saved and opened', async ({ page }) => {
  await signIn(page, '/people');
  await page.getByRole('button', { name: 'Filter by an attribute' }).click();
  await page.getByLabel('Value').fill('Germany');
  await page.getByRole('button', { name: 'Filter', exact: true }).click();
  await expect(page.getByText('country is “Germany”')).toBeVisible();
  await expect(page.getByTestId('people-count')).toHaveText(/match/);
  const count = Number((await page.getByTestId('people-count').textContent())!.replace(/\D/g, ''));
  await page.getByRole('checkbox', { name: /^Choose all/ }).check();
  await page.getByRole('button', { name: 'Tag', exact: true }).click();
  await page.getByRole('dialog').getByLabel('Tag').fill('german');
  await page.getByRole('button', { name: `Do it for ${count} people` }).click();
  await expect(page.getByText('Tag “german”: done.')).toBeVisible();
  await expect(page.getByRole('button', { name: `german ${count}` })).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByRole('button', { name: `german ${count}` })).toBeHidden();
  await page.getByRole('button', { name: 'Save as a view' }).click();
  await page.getByLabel('Name').fill('Germans');
  await page.getByRole('dialog').getByRole('button', { name: 'Save' }).click();
  await page.getByRole('button', { name: 'Everybody' }).click();
  await expect(page.getByTestId('people-count')).toContainText('on file');
  await page.getByRole('button', { name: 'Germans', exact: true }).click();
  await expect(page.getByTestId('people-count')).toHaveText(`${count} people match`);
});

test('a filter by a number finds people whose attribute is that number; what is no number is said and not asked', async ({
  page,
  request,
}) => {
  const id = `tank-${Date.now().toString(36)}`;
  await api(request, 'PUT', `/people/${id}`, { attributes: { tankLitres: 77.5 } });
  await signIn(page, '/people');
  await page.getByRole('button', { name: 'Filter by an attribute' }).click();
  await page.getByRole('combobox', { name: 'Attribute' }).selectOption('tankLitres');
  await page.getByLabel('Value').fill('large');
  await expect(page.getByText('“large” is no number.')).toBeVisible();
  await page.getByRole('button', { name: 'Filter', exact: true }).click();
  await expect(page.getByLabel('Value')).toBeVisible();
  await page.getByLabel('Value').fill('77.5');
  await page.getByRole('button', { name: 'Filter', exact: true }).click();
  await expect(page.getByTestId('people-count')).toHaveText('1 person matches');
});

test('the views of data and people have no accessibility violation of WCAG 2.2 AA that axe can find, in both themes', async ({
  page,
  request,
}) => {
  await signIn(page);
  const { body } = await api<{ sources: { key: string; kind: string }[] }>(request, 'GET', '/sources');
  const webhook = body.sources.find((one) => one.kind === 'webhook')!.key;
  await expectPagesAccessible(page, [
    '/data',
    `/data/sources/${webhook}`,
    '/data/events',
    '/data/events/cart.updated',
    '/data/attributes',
    '/data/files',
    '/data/files/new',
    '/data/forms',
    '/data/forms/water-check',
    '/data/consent',
    '/data/merges',
    '/people/lists',
    '/people/lists/plant-letter',
    '/people/segments',
    '/data/places',
    '/people/segments/lapsed',
    '/people/segments/new',
  ]);
});
