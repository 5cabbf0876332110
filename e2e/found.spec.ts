import { expect, test } from '@playwright/test';
import { api, base, expectAccessible, outside, signIn, someone } from './kit';

interface Sent {
  to: string;
  subject?: string;
  text: string;
}

test('a table is loaded, a flow looks into it, writes in two versions and tells the chat; another version of the table counts at once', async ({
  page,
  request,
}) => {
  // a language in which the store writes: messages are offered in it
  await signIn(page, '/settings/store');
  const languages = page.getByRole('group', { name: 'Languages' });
  await languages.getByLabel('Add a language').selectOption('Welsh');
  await page.getByRole('button', { name: 'Save' }).first().click();
  await expect(page.getByText('Saved. Letters say it from now on.')).toBeVisible();
  await page.goto(`${base()}/data/tables`);
  await page.getByRole('button', { name: 'Load a table…' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Name').fill('How it travels');
  await dialog.getByLabel('Or its lines').fill('country,carrier,days\nNL,Bike courier,1\nNL,Barge,2\n');
  await dialog.getByRole('button', { name: 'Load 2 rows' }).click();
  // what cannot be kept is named with its line, and nothing that was written is lost
  await expect(dialog.getByText(/line 3 has the same country as line 2/)).toBeVisible();
  await dialog.getByLabel('Or its lines').fill('country,carrier,days\nNL,Bike courier,1\nBE,Barge,2\n');
  await expect(dialog.getByLabel('Looked up by')).toHaveValue('country');
  await dialog.getByRole('button', { name: 'Load 2 rows' }).click();
  await expect(page.getByRole('heading', { name: 'How it travels' })).toBeVisible();
  await expect(page.getByRole('table', { name: 'Rows' }).getByText('Barge')).toBeVisible();
  await expectAccessible(page);

  const document = {
    schema: 'viatic.flow/1',
    name: 'Travels',
    triggers: [{ id: 'start', kind: 'event', event: 'app.travels', key: 'trip' }],
    entry: null,
    stay: null,
    reentry: 'once-per-key',
    goal: null,
    steps: [],
  };
  expect((await api(request, 'PUT', '/flows/travels', document)).status).toBe(200);
  await page.goto(`${base()}/flows/travels`);
  const script = page.getByRole('navigation', { name: 'Script' });
  const inspector = page.getByRole('complementary', { name: 'Inspector' });
  const add = async (label: string, kind: string) => {
    await inspector.getByRole('button', { name: label }).click();
    await page.getByRole('menuitem', { name: kind, exact: true }).click();
  };
  await add('Add the first step', 'Look up a row of a table');
  await inspector.getByLabel('Name', { exact: true }).fill('Carrier');
  await inspector.getByLabel('Table').selectOption('How it travels');
  await inspector.getByLabel('Two ways on').check();
  await expect(script.getByText('if there is none')).toBeVisible();
  await add('Add to “Not found”', 'Note to a colleague');
  await inspector.getByLabel('Goes to').selectOption('a room of your chat');
  await inspector.getByLabel('Address of the room').fill(`${outside()}/outside/chat/orders`);
  await inspector.getByLabel('What it says').fill('Nobody carries to {{ person.country | fallback: "nowhere" }}');
  await expectAccessible(page, { part: 'aside' });

  // what is found is asked for further on, by name
  await script.getByRole('button', { name: /Look up/ }).click();
  await add('Add after this', 'Branch');
  await inspector.getByPlaceholder('Add a condition by typing').fill('came carrier');
  await page
    .getByRole('option', { name: /carrier of what came/ })
    .first()
    .click();
  await expect(inspector.getByLabel('Property of what came')).toHaveValue('carrier');
  await expect(inspector.getByLabel('Of which step')).toHaveValue(/.+/);

  await add('Add to “Those who”', 'Message');
  await inspector.getByLabel('Name of this message').fill('On its way');
  await inspector.getByLabel('Subject').fill('On its way by {{ answers.lookup.carrier }}');
  await inspector.getByRole('button', { name: 'Write the letter' }).click();
  await page.getByTestId('letter').getByRole('textbox', { name: 'Text', exact: true }).click();
  await page.keyboard.type('Hello');
  await page.getByRole('button', { name: 'To the map' }).click();
  await inspector.getByLabel('Kind').selectOption('service');
  await inspector.getByRole('button', { name: 'Version' }).click();
  await page.getByRole('menuitem', { name: 'In Welsh' }).click();
  await expect(inspector.getByLabel('Language')).toHaveValue('Welsh');
  await expect(inspector.getByLabel('Name of this version')).toHaveValue('Welsh');
  await inspector.getByLabel('Subject').fill('Ar ei ffordd: {{ answers.lookup.carrier }}');
  await inspector.getByRole('button', { name: 'Everyone else' }).click();
  await expect(inspector.getByLabel('Subject')).toHaveValue('On its way by {{ answers.lookup.carrier }}');
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Publish…' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Publish', exact: false }).last().click();
  await expect(page.getByText('Version 1', { exact: true })).toBeVisible();

  const travel = (email: string, more: object) =>
    api(request, 'POST', '/events', {
      specversion: '1.0',
      id: `trip ${email}`,
      source: 'test',
      type: 'app.travels',
      data: { trip: email, person: { email, ...more } },
    });
  const mailTo = (email: string) =>
    expect.poll(async () =>
      (await api<Sent[]>(request, 'GET', `/outside/api/mail?to=${encodeURIComponent(email)}`)).body.map(({ subject }) => subject),
    );
  const [plain, welsh, lost] = [someone('plain'), someone('welsh'), someone('lost')];
  await travel(plain, { country: 'BE' });
  await travel(welsh, { country: 'nl', language: 'cy-GB' });
  await travel(lost, { country: 'GL' });
  await mailTo(plain).toEqual(['On its way by Barge']);
  await mailTo(welsh).toEqual(['Ar ei ffordd: Bike courier']);
  await expect
    .poll(async () => (await api<Sent[]>(request, 'GET', '/outside/api/chat?to=orders')).body.map(({ text }) => text.split('\n')[0]))
    .toEqual(['Nobody carries to GL']);
  await page.goto(`${base()}/outside`);
  await page.getByRole('tab', { name: 'Chat' }).click();
  await expect(page.getByText('Nobody carries to GL').first()).toBeVisible();

  await page.goto(`${base()}/data/tables/how-it-travels`);
  await expect(page.getByRole('button', { name: 'Archive' })).toBeDisabled();
  await page.getByRole('button', { name: 'Load another version…' }).click();
  await dialog.getByLabel('Or its lines').fill('country,carrier,days\nBE,Balloon,9\n');
  await dialog.getByRole('button', { name: 'Load 1 row' }).click();
  await expect(page.getByText('Version 2', { exact: true })).toBeVisible();
  const later = someone('later');
  await travel(later, { country: 'BE' });
  await mailTo(later).toEqual(['On its way by Balloon']);
  await page.getByRole('button', { name: 'Restore' }).click();
  await expect(page.getByText('Flows look into version 1 from now on.')).toBeVisible();
  await expect(page.getByRole('table', { name: 'Rows' }).getByText('Bike courier')).toBeVisible();
});

test('a wait goes by the parcel, a test decides by itself, and so many enter a day: in words, and undone', async ({ page, request }) => {
  const document = {
    schema: 'viatic.flow/1',
    name: 'Reviews',
    triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' }],
    entry: null,
    stay: null,
    reentry: 'once-per-key',
    goal: { event: 'order.placed', within: 'P30D', ends: false },
    steps: [
      { id: 'w', kind: 'wait', for: 'P9D' },
      {
        id: 't',
        kind: 'test',
        name: 'Which',
        per: 'person',
        arms: [
          { id: 'a', name: 'One', when: null, share: 50, steps: [] },
          { id: 'b', name: 'Two', when: null, share: 50, steps: [] },
        ],
      },
    ],
  };
  expect((await api(request, 'PUT', '/flows/reviews', document)).status).toBe(200);
  await signIn(page, '/flows/reviews');
  const script = page.getByRole('navigation', { name: 'Script' });
  const inspector = page.getByRole('complementary', { name: 'Inspector' });
  await script.getByRole('button', { name: /Wait 9 days/ }).click();
  await inspector.getByLabel('Wait for').selectOption('the parcel of the order');
  await expect(script.getByText(/Wait until 7 days after their order is delivered/)).toBeVisible();
  await inspector.getByLabel('To these countries').fill('us, au');
  await expect(script.getByText(/10 days after it to US, AU, 3 days elsewhere/)).toBeVisible();
  await expectAccessible(page, { part: 'aside' });
  await script.getByRole('button', { name: /Test “Which”/ }).click();
  await inspector.getByLabel('Decides by itself').check();
  await inspector.getByLabel('After how many people in each arm').fill('800');
  await script.getByRole('button', { name: /^When:/ }).click();
  await inspector.getByLabel('So many a day at most').check();
  await inspector.getByLabel('Enter on one day').fill('250');
  const draft = async () =>
    (await api<{ draft: { perDay?: object; steps: { parcel?: object; decide?: object }[] } }>(request, 'GET', '/flows/reviews')).body.draft;
  await expect.poll(async () => (await draft()).perDay).toEqual({ most: 250, beyond: 'wait' });
  expect((await draft()).steps.map(({ parcel, decide }) => parcel ?? decide)).toEqual([
    { is: 'delivered', then: 'P7D', estimates: [{ countries: ['US', 'AU'], takes: 'P10D' }], otherwise: 'P3D' },
    { people: 800 },
  ]);
  await page.keyboard.press('Escape');
  await page.getByRole('heading', { name: 'Reviews' }).click();
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await expect.poll(async () => (await draft()).perDay).toBeUndefined();
});

test('a flow is said what it is for, kept as a starter, filtered, grouped, archived with others and brought back; who belongs in it enters', async ({
  page,
  request,
}) => {
  const people = ['one', 'two'].map((name) => someone(name));
  for (const email of people)
    await api(request, 'POST', '/events', {
      specversion: '1.0',
      id: `club ${email}`,
      source: 'test',
      type: 'account.created',
      data: { person: { email, clubCard: 'reef', consent: { email: true } } },
    });
  const list = (await api<{ key: string }>(request, 'POST', '/lists', { name: 'Club members' })).body.key;
  for (const email of people) {
    const found = (await api<{ people: { id: string }[] }>(request, 'GET', `/people?q=${encodeURIComponent(email)}`)).body.people;
    expect((await api(request, 'POST', `/people/${found[0]!.id}/lists`, { list })).status).toBe(200);
  }
  const document = {
    schema: 'viatic.flow/1',
    name: 'Club greeting',
    triggers: [{ id: 'start', kind: 'event', event: 'list.joined', key: null, where: [{ property: 'list', op: 'is', value: list }] }],
    entry: { test: 'attribute', name: 'clubCard', op: 'is', value: 'reef' },
    stay: null,
    reentry: 'once',
    goal: null,
    steps: [
      {
        id: 'hello',
        kind: 'send',
        name: 'Hello',
        message: {
          schema: 'viatic.message/1',
          channel: 'email',
          kind: 'service',
          subject: 'Your club card',
          preview: '',
          blocks: [{ id: 'b', kind: 'text', text: 'Welcome to the club.' }],
        },
      },
    ],
  };
  expect((await api(request, 'PUT', '/flows/club-greeting', document)).status).toBe(200);
  await signIn(page, '/flows/club-greeting');
  const inspector = page.getByRole('complementary', { name: 'Inspector' });
  await inspector.getByText('About this flow').click();
  await inspector.getByLabel('What it is for').fill('Greets those with a card.');
  await inspector.getByLabel('Who looks after it').fill('Noor');
  await inspector.getByLabel('Where it stands').selectOption('Those who stay');
  await inspector.getByLabel('Tags').fill('club, cards');
  await expect(page.getByText('Draft saved')).toBeVisible();

  await page.getByRole('button', { name: 'Publish…' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel(/Those who belong in it already, too: 2 people/).check();
  await dialog.getByRole('button', { name: 'Publish version 1' }).click();
  await expect(page.getByText(/^2 people enter now/)).toBeVisible();
  for (const email of people)
    await expect
      .poll(async () => (await api<Sent[]>(request, 'GET', `/outside/api/mail?to=${encodeURIComponent(email)}`)).body.length)
      .toBe(1);

  await page.getByRole('button', { name: 'More acts' }).click();
  await page.getByRole('menuitem', { name: 'Save as a starter…' }).click();
  await dialog.getByLabel('Name').fill('A greeting of ours');
  await dialog.getByLabel('What it does, in two sentences').fill('It greets. It ends.');
  await dialog.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByText('Saved. It stands under New flow.')).toBeVisible();

  await page.goto(`${base()}/flows`);
  await page.getByRole('button', { name: 'New flow' }).click();
  await dialog.getByText('A greeting of ours').click();
  await dialog.getByLabel('Name').fill('Second greeting');
  await dialog.getByRole('button', { name: 'Create' }).click();
  await expect(page).toHaveURL(/second-greeting/);
  await page.goto(`${base()}/flows`);
  await page.getByLabel('Filter by tag or who looks after it').selectOption('cards');
  await page.getByLabel('Group by stage').check();
  const table = page.getByRole('table', { name: 'Flows, Those who stay' });
  await expect(table.getByRole('row')).toHaveCount(3);
  await page.getByLabel('Choose Club greeting').check();
  await page.getByLabel('Choose Second greeting').check();
  const chosen = page.getByRole('group', { name: 'Chosen flows' });
  await chosen.getByRole('button', { name: 'Tag…' }).click();
  await dialog.getByLabel('Tag').fill('winter');
  await dialog.getByRole('button', { name: 'Add tag' }).click();
  await expect(table.getByText('#winter').first()).toBeVisible();
  await expectAccessible(page);
  await page.getByLabel('Choose Club greeting').check();
  await page.getByLabel('Choose Second greeting').check();
  await chosen.getByRole('button', { name: 'Archive…' }).click();
  await dialog.getByRole('button', { name: 'Archive', exact: true }).click();
  await expect(page.getByText('2 flows are archived.')).toBeVisible();
  await expect(page.getByText('Club greeting')).toHaveCount(0);
  await page.getByLabel('Filter by state').selectOption('Archived');
  await page.getByRole('link', { name: 'Club greeting' }).click();
  await expect(page.getByRole('button', { name: 'Publish…' })).toBeDisabled();
  await page.getByRole('button', { name: 'More acts' }).click();
  await page.getByRole('menuitem', { name: 'Restore' }).click();
  await expect(page.getByText('“Club greeting” is back, and paused.')).toBeVisible();
  await expect(page.getByRole('button', { name: 'Resume' })).toBeVisible();
});
