import { expect, test } from '@playwright/test';
import { api, base, expectAccessible, expectPagesAccessible, signIn, someone } from './kit';

test('waits, thresholds, labels and texts are edited, saved to the draft, undone, published as a new version', async ({
  page,
  request,
}) => {
  await signIn(page, '/flows/cart-left-behind');
  const script = page.getByRole('navigation', { name: 'Script' });

  await script.getByRole('button', { name: 'Wait 23 hours' }).click();
  await page.getByLabel('How long people wait here, amount').fill('22');
  await expect(script.getByRole('button', { name: 'Wait 22 hours' })).toBeVisible();
  await expect(page.getByText('Draft saved, 1 change not published')).toBeVisible();
  await page.getByLabel('How long people wait here, amount').fill('0');
  await expect(page.getByText('A whole number above nothing')).toBeVisible();
  await page.getByLabel('How long people wait here, amount').fill('22');

  await script.getByRole('button', { name: 'Branch “By cart value”' }).click();
  await page.getByRole('group', { name: /^Arm/ }).getByLabel('Value', { exact: true }).fill('150');
  await expect(script.getByText('when cart value is at least €150.00')).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('group', { name: /^Arm/ }).getByLabel('Value', { exact: true })).toHaveValue('100');
  await page.keyboard.press('Control+Shift+z');
  await expect(page.getByRole('group', { name: /^Arm/ }).getByLabel('Value', { exact: true })).toHaveValue('150');
  await page.getByLabel('Label').first().fill('150 and up');
  await expect(page.getByTestId('line-map').getByText('150 and up')).toBeVisible();

  await script.getByRole('button', { name: 'Send “Reminder”' }).click();
  await page.getByLabel('Subject').fill('Still thinking about {{ it');
  await expect(page.getByText(/the placeholder cannot be read/)).toBeVisible();
  await page.getByLabel('Subject').fill('Still thinking about it?');
  await page.getByRole('button', { name: 'Write the letter' }).click();
  const sheet = page.getByTestId('letter');
  const words = sheet.getByRole('textbox', { name: 'Text', exact: true }).first();
  await words.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('Here it is, {');
  await page.getByRole('combobox', { name: 'Which value?' }).fill('firstName');
  await page.keyboard.press('Enter');
  // what stands in for it is taken away
  await sheet.getByRole('button', { name: /first name/ }).click();
  await page.getByLabel('When first name is not known').fill('');
  await page.getByRole('button', { name: 'Done' }).click();
  await expect(sheet.getByText('{{ person.firstName }} has no fallback')).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(sheet.getByText('{{ person.firstName }} has no fallback')).toBeHidden();
  await page.keyboard.press('Control+Shift+z');
  await expect(sheet.getByText('{{ person.firstName }} has no fallback')).toBeVisible();
  await page.getByRole('button', { name: 'To the map' }).click();
  await expect(page.getByText(/Draft saved, 5 changes not published/)).toBeVisible();

  // it is in the draft, not in what runs
  await page.reload();
  await expect(script.getByRole('button', { name: 'Wait 22 hours' })).toBeVisible();
  type Flow = { version: number; published: { steps: { for?: string }[] } };
  expect((await api<Flow>(request, 'GET', '/flows/cart-left-behind')).body.published.steps[1]!.for).toBe('PT23H');

  await page.getByRole('button', { name: 'Publish…' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByText('Wait: 23 hours becomes 22 hours')).toBeVisible();
  await expect(dialog.getByText(/cart value is at least €150.00 \(was: cart value is at least €100.00\)/)).toBeVisible();
  await expect(dialog.getByText('has no fallback')).toBeVisible();
  await dialog.getByRole('button', { name: 'Publish version 2' }).click();
  await expect(page.getByText('Version 2', { exact: true })).toBeVisible();
  expect((await api<Flow>(request, 'GET', '/flows/cart-left-behind')).body).toMatchObject({
    version: 2,
    published: { steps: [{}, { for: 'PT22H' }, {}, {}] },
  });
});

test('pause stops, resume goes on; the keyboard walks the stops; results stand at them', async ({ page, request }) => {
  await signIn(page, '/flows/first-order');
  await page.getByRole('button', { name: 'Pause' }).click();
  await expect(page.getByText('Paused', { exact: true })).toBeVisible();
  expect((await api<{ state: string }>(request, 'GET', '/flows/first-order')).body.state).toBe('paused');
  await page.getByRole('button', { name: 'Resume' }).click();
  await expect(page.getByRole('button', { name: 'Pause' })).toBeVisible();

  const map = page.getByTestId('line-map');
  await map.getByRole('button', { name: /The first three weeks/ }).click();
  await page.keyboard.press('ArrowRight');
  await expect(map.getByRole('button', { name: 'Wait 11 days' })).toBeFocused();
  await page.keyboard.press('ArrowRight');
  await expect(map.getByRole('button', { name: /By order value/ })).toBeFocused();
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('ArrowDown');
  await expect(map.getByRole('button', { name: /Running low/ })).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Name of this message')).toHaveValue('Running low?');
  await expect(page.getByLabel('Name of this message')).toBeFocused();

  await page.getByRole('tab', { name: 'Results' }).click();
  await expect(map.getByText(/\d+ sent/).first()).toBeVisible();
  await expect(map.getByText(/people/).first()).toBeVisible();
});

test('a message is seen as somebody, by the code that sends it', async ({ page, request }) => {
  const address = someone('kim');
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
      person: { email: address, firstName: 'Kim' },
    },
  });
  await signIn(page, '/flows/cart-left-behind');
  await page.getByRole('navigation', { name: 'Script' }).getByRole('button', { name: 'Send “You left something in your cart”' }).click();
  await page.getByRole('tab', { name: 'See it as somebody' }).click();
  await page.getByLabel('As whom').selectOption({ label: 'Kim (lately)' });
  await expect(page.frameLocator('iframe[title="The message"]').getByText('Moss ball')).toBeVisible();
  await page.getByLabel('Which part').selectOption('text');
  await expect(page.getByText('- 2 × Moss ball, €10.00 each')).toBeVisible();
});

test('a test, a recorded event and a wait for an answer are edited, said, and run', async ({ page, request }) => {
  const letter = (id: string) => ({
    id,
    kind: 'send',
    name: id,
    message: {
      schema: 'viatic.message/1',
      channel: 'email',
      kind: 'marketing',
      subject: `Letter ${id}`,
      preview: '',
      blocks: [{ id: 'b1', kind: 'text', text: 'Hello' }],
    },
  });
  const { status } = await api(request, 'PUT', '/flows/asked-how-it-went', {
    schema: 'viatic.flow/1',
    name: 'Asked how it went',
    triggers: [{ id: 'start', kind: 'event', event: 'app.visited', key: 'visit' }],
    entry: null,
    stay: null,
    reentry: 'once-per-key',
    goal: null,
    steps: [
      {
        id: 'which',
        kind: 'test',
        name: 'Long or short',
        per: 'person',
        arms: [
          { id: 'long', name: 'Long', when: null, share: 50, steps: [letter('long-one')] },
          { id: 'short', name: 'Short', when: null, share: 50, steps: [letter('short-one')] },
        ],
      },
      { id: 'note', kind: 'record', name: 'Asked', event: 'app.asked', properties: [{ name: 'visit', from: 'visit' }] },
      { id: 'answer', kind: 'wait', for: 'P2D' },
      {
        id: 'went',
        kind: 'branch',
        name: 'Answered?',
        arms: [
          { id: 'yes', name: 'Answered', when: { test: 'answer', step: 'answer', came: true }, steps: [letter('thanks')] },
          { id: 'no', name: 'No answer', when: null, steps: [] },
        ],
      },
    ],
  });
  expect(status).toBe(200);
  await signIn(page, '/flows/asked-how-it-went');
  const script = page.getByRole('navigation', { name: 'Script' });
  const inspector = page.getByRole('complementary', { name: 'Inspector' });

  await script.getByRole('button', { name: 'Test “Long or short”' }).click();
  await expect(script.getByText('50 %, by lot')).toHaveCount(2);
  await inspector.getByLabel('Share of Short').fill('0');
  await expect(script.getByText('100 %, by lot')).toBeVisible();
  await expect(page.getByTestId('line-map').getByText('Long, 100 %')).toBeVisible();

  await script.getByRole('button', { name: 'Record “Asked”' }).click();
  await inspector.getByLabel('Type of event').fill('order.placed');
  await expect(page.getByText(/reserved for what really happened/)).toBeVisible();
  await inspector.getByLabel('Type of event').fill('app.asked_twice');
  await inspector.getByRole('button', { name: 'Add a property' }).click();
  await inspector.getByLabel('Kind').nth(1).selectOption('number');
  await inspector.getByLabel('Property', { exact: true }).nth(1).fill('times');
  await inspector.getByLabel('Value').fill('2');

  // a branch that asks for an answer which nothing waits for is pointed out, until something does
  await page.getByRole('button', { name: 'Publish…' }).click();
  await expect(page.getByRole('dialog').getByText('A condition asks for an answer that no step waits for')).toBeVisible();
  await page.keyboard.press('Escape');
  await script.getByRole('button', { name: 'Wait 2 days' }).click();
  await inspector.getByLabel('Ended before that by').selectOption('an event');
  await inspector.getByLabel('What is waited for').fill('app.answered');
  await expect(script.getByRole('button', { name: 'Wait up to 2 days, until the person has done app.answered' })).toBeVisible();
  await page.getByRole('button', { name: 'Publish…' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Publish', exact: false }).last().click();
  await expect(page.getByText('Version 1', { exact: true })).toBeVisible();

  const email = someone('asked');
  const tell = (type: string, data: object) =>
    api(request, 'POST', '/events', {
      specversion: '1.0',
      id: `${type} ${email}`,
      source: 'test',
      type,
      data: { ...data, person: { email, consent: { email: true } } },
    });
  await tell('app.visited', { visit: 'v1' });
  const story = async () =>
    (await api<{ people: { id: string }[] }>(request, 'GET', `/people?q=${encodeURIComponent(email)}`)).body.people[0]?.id ?? '';
  await expect.poll(story).not.toBe('');
  await page.goto(`${base()}/people/${await story()}`);
  await expect(page.getByText('Waiting up to 2 days, until the person has done app.answered')).toBeVisible();
  await expect(page.getByText('Drew “Long”, which 100 % take')).toBeVisible();
  await expect(page.getByText('app.asked_twice')).toBeVisible();
  await tell('app.answered', {});
  await expect(async () => {
    await page.reload();
    await expect(page.getByText('It came: the person did app.answered')).toBeVisible({ timeout: 10_000 });
    await expect(page.getByText('Took “Answered”')).toBeVisible({ timeout: 10_000 });
  }).toPass();
});

test('two browsers on one draft: each sees who and where the other is; what differs is taken over part by part, and nothing is lost', async ({
  page,
  browser,
  request,
}) => {
  const key = 'two-at-once';
  const idea = (id: string) => ({ id, kind: 'idea', text: `Idea ${id}` });
  const { body } = await api<{ draft: object }>(request, 'GET', '/flows/first-order');
  await api(request, 'PUT', `/flows/${key}`, { ...body.draft, name: 'Two at once', steps: [idea('a'), idea('b')] });
  const other = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
  for (const one of [page, other]) {
    await signIn(one, `/flows/${key}`);
  }
  await other.getByRole('navigation', { name: 'Script' }).getByRole('button', { name: 'Idea: Idea b' }).click();
  await expect(page.getByRole('button', { name: /is here, at Idea: Idea b/ })).toBeVisible();

  // what is stored there shows here at once, as nothing here is open
  await other.getByLabel('What should happen here').fill('Changed over there');
  await expect(page.getByText(/has changed this draft.*You see it as it is now/)).toBeVisible();
  await expect(page.getByRole('navigation', { name: 'Script' }).getByText('Changed over there')).toBeVisible();

  // both change at once: nothing is overwritten, it is asked
  await page.route('**/api/v1/flows/*/presence', (route) => route.abort());
  await page
    .getByRole('navigation', { name: 'Script' })
    .getByRole('button', { name: /^When:/ })
    .click();
  const { body: now } = await api<{ draft: { steps: object[] } }>(request, 'GET', `/flows/${key}`);
  await api(request, 'PUT', `/flows/${key}`, { ...now.draft, name: 'Theirs', steps: [...now.draft.steps, idea('c')] });
  await page.getByLabel('Name of the flow').fill('Mine');
  await expect(page.getByText(/Somebody else has changed this draft/)).toBeVisible();
  await page.getByRole('button', { name: 'See what differs…' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByRole('radio', { name: 'Its name: yours' })).toBeChecked();
  await expect(dialog.getByRole('radio', { name: 'New: Idea: Idea c: theirs' })).toBeChecked();
  await expectAccessible(page, { part: '[role=dialog]' });
  await dialog.getByRole('button', { name: 'Keep this' }).click();
  await expect(page.getByText('Draft saved')).toBeVisible();
  await expect
    .poll(async () => (await api<{ draft: { name: string; steps: { id: string }[] } }>(request, 'GET', `/flows/${key}`)).body.draft)
    .toMatchObject({ name: 'Mine', steps: [{ id: 'a' }, { id: 'b' }, { id: 'c' }] });
  await other.context().close();
});

test('search-and-do finds a person and a flow, and does things', async ({ page }) => {
  await signIn(page);
  await page.keyboard.press('Control+k');
  await page.getByPlaceholder(/A screen, a flow/).fill('revenue');
  await page.getByRole('option', { name: 'Revenue', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'Revenue' })).toBeVisible();
  await page.keyboard.press('Control+k');
  await page.getByPlaceholder(/A screen, a flow/).fill('example.org');
  await page.getByRole('option').first().click();
  await expect(page.getByRole('heading', { name: 'Time line' })).toBeVisible();
});

test('people are filtered by rule, and the rule is said', async ({ page }) => {
  await signIn(page, '/people');
  const count = page.getByTestId('people-count');
  await expect(count).toContainText(/1,\d{3} people on file/);
  await page.getByLabel('Can be emailed').selectOption('yes');
  await page.getByLabel('Orders', { exact: true }).selectOption('twice');
  await expect(page.getByText('can be emailed and has placed an order at least twice')).toBeVisible();
  await expect(count).toContainText(/^\d+ people match/);
  await page.getByLabel('Search people').fill('nobody is called this');
  await expect(page.getByText('Nobody matches')).toBeVisible();
});

test('every main view in both themes has no accessibility violation of WCAG 2.2 AA that axe can find', async ({ page }) => {
  // ten views, each looked through whole; but with no mail open, for in its frame scripts, axe's too, are forbidden
  await signIn(page);
  await expectPagesAccessible(page, ['/flows', '/flows/cart-left-behind', '/people', '/revenue', '/outside?to=nobody']);
});
