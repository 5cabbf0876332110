import { expect, test, type Page } from '@playwright/test';
import type { FlowDocument, TestStep } from '../src/core/flows';
import type { Form } from '../src/core/forms';
import { api, base, expectAccessible, mailTo, signIn, someone } from './kit';

const put = async (page: Page, words: string) => {
  await page.getByRole('button', { name: 'Put something in' }).click();
  await page.getByRole('combobox', { name: 'What shall stand here?' }).fill(words);
  await page.keyboard.press('Enter');
};
const sheet = (page: Page) => page.getByTestId('letter');

test('a form asks by a letter of its own and gives a code after the click; a letter by hand leads to a file, whose fetching counts', async ({
  page,
  request,
  context,
}) => {
  await api(request, 'PUT', '/offers/desk-hello', {
    schema: 'viatic.offer/1',
    name: 'Hello at the desk',
    gives: { kind: 'percent', percent: 10 },
    currency: 'EUR',
    combines: false,
    expires: { after: 'P3D' },
    comesBack: true,
    who: null,
    guard: {},
    code: { prefix: 'DESK', letters: 6 },
  });
  await signIn(page, '/data/forms');
  await page.getByRole('button', { name: 'New form' }).click();
  const name = `Desk ${Date.now()}`;
  await page.getByLabel('Name', { exact: true }).fill(name);
  await page.getByRole('button', { name: 'Create', exact: true }).click();
  await page.getByLabel('Gives a code of').selectOption('Hello at the desk');
  await page.getByRole('button', { name: 'Write it as a letter…' }).click();
  const desk = page.getByRole('dialog', { name: /^Asks those/ });
  await desk.getByLabel('Subject', { exact: true }).fill('Is it you? ');
  await desk.getByRole('button', { name: 'Put a sign into the subject' }).click();
  await page.getByLabel('Search for a sign').fill('tropical fish');
  await expect(page.getByTitle('tropical fish', { exact: true })).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(desk.getByLabel('Subject', { exact: true })).toHaveValue('Is it you? 🐠');
  await expectAccessible(page, { part: '[role="dialog"]' });
  await desk.getByRole('button', { name: 'Done' }).click();
  await expect(page.getByText('“Is it you? 🐠” goes out in place of these words.')).toBeVisible();
  const key = name.toLowerCase().replace(/ /g, '-');
  const kept = async () => (await api<{ document: Form }>(request, 'GET', `/forms/${key}`)).body.document;
  await expect
    .poll(async () => [(await kept()).offer, (await kept()).doubleOptIn?.letter?.subject])
    .toEqual(['desk-hello', 'Is it you? 🐠']);

  const visitor = await context.newPage();
  const address = someone('desk');
  await visitor.goto(`${base()}/form/${key}`);
  await visitor.getByLabel('Email address').fill(address);
  await visitor.getByRole('checkbox').check();
  await visitor.getByRole('button', { name: 'Sign up' }).click();
  const asked = await mailTo(request, address, /Is it you\? 🐠/);
  await visitor.goto(asked.links.find((one) => one.includes('/confirm/'))!);
  await visitor.getByRole('button', { name: 'Yes, it was me' }).click();
  await expect(visitor.getByText(/DESK-?[A-Z0-9]{6}/)).toBeVisible();
  await visitor.close();

  const { people } = (await api<{ people: { id: string }[] }>(request, 'GET', `/people?q=${encodeURIComponent(address)}`)).body;
  await page.goto(`${base()}/people/${people[0]!.id}`);
  await expect(page.getByTestId('timeline').getByText('Got a code').first()).toBeVisible();
  await page.getByRole('button', { name: 'Write', exact: true }).click();
  await page.getByLabel('Subject').fill('What you asked for');
  await page.getByRole('textbox', { name: 'Text' }).fill('Here it is.');
  await page.getByRole('button', { name: 'Write it as a letter…' }).click();
  await put(page, 'file');
  await expect(sheet(page).getByText(/A file to fetch is none yet/)).toBeVisible();
  await page.getByRole('button', { name: 'Settings: File to fetch' }).click();
  await page
    .getByLabel('File to upload')
    .setInputFiles({ name: 'tank-guide.pdf', mimeType: 'application/pdf', buffer: Buffer.from('%PDF-1.4 tank guide') });
  await expect(sheet(page).getByLabel('Words of the link')).toHaveValue('tank-guide');
  await page.keyboard.press('Escape');
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await expect(page.getByText('It is on its way.')).toBeVisible();
  const mail = await mailTo(request, address, /What you asked for/);
  const file = await request.get(mail.links.find((one) => one.includes('/fetch/'))!);
  expect([file.status(), (await file.body()).toString()]).toEqual([200, '%PDF-1.4 tank guide']);
  const { files } = (await api<{ files: { name: string; downloads: number }[] }>(request, 'GET', '/files')).body;
  expect(files.find((one) => one.name === 'tank-guide.pdf')).toMatchObject({ downloads: 1 });
});

test('subjects are tried against one another; a push message of the library goes to the browser of a shopper', async ({
  page,
  request,
}) => {
  const flow = {
    schema: 'viatic.flow/1',
    name: 'Desk news',
    triggers: [{ id: 'start', kind: 'event', event: 'app.desk_wanted', key: null }],
    entry: null,
    stay: null,
    reentry: 'always',
    goal: null,
    steps: [
      {
        id: 'mail',
        kind: 'send',
        name: 'News',
        message: {
          schema: 'viatic.message/1',
          channel: 'email',
          kind: 'marketing',
          subject: 'News of tanks',
          preview: '',
          blocks: [{ id: 'b1', kind: 'text', text: 'Hello' }],
        },
      },
      {
        id: 'push',
        kind: 'send',
        name: 'On the screen',
        message: { schema: 'viatic.message/1', channel: 'push', kind: 'marketing', title: 'x', text: 'y', url: '' },
      },
    ],
  };
  expect((await api(request, 'PUT', '/flows/desk-news', flow)).status).toBe(200);
  await signIn(page, '/messages');
  await page.getByRole('button', { name: 'New for a phone' }).click();
  await page.getByRole('menuitem', { name: 'New push message' }).click();
  await page.getByLabel('Name').fill('Plants are in');
  await page.getByLabel('Title').fill('Plants are in, {{ person.firstName | fallback: "keeper" }}');
  await page.getByLabel('Text', { exact: true }).fill('Three new ones');
  await expect(page.getByRole('region', { name: 'As somebody gets it' }).getByText(/^Plants are in, /)).toBeVisible();
  await expect(page.getByText('Saved', { exact: true })).toBeVisible();
  await expectAccessible(page);

  await page.goto(`${base()}/flows/desk-news`);
  const script = page.getByRole('navigation', { name: 'Script' });
  await script.getByRole('button', { name: 'Send “On the screen”' }).click();
  const inspector = page.getByRole('complementary', { name: 'Inspector' });
  await inspector.getByRole('button', { name: 'Library' }).click();
  await page.getByRole('menuitem', { name: /^Take a message/ }).click();
  await page
    .getByRole('dialog')
    .getByRole('button', { name: /Plants are in/ })
    .click();
  await expect(inspector.getByRole('textbox', { name: 'Text', exact: true })).toHaveValue('Three new ones');
  await script.getByRole('button', { name: 'Send “News”' }).click();
  await page.getByRole('button', { name: 'Write the letter' }).click();
  await page.getByRole('button', { name: 'Test subjects…' }).click();
  await page.getByLabel('Subject 2').fill('News of tanks');
  await expect(page.getByRole('alert')).toHaveText('Two of them are the same.');
  await page.getByLabel('Subject 2').fill('Your tank misses you');
  await page.getByRole('button', { name: 'Create a test of 2' }).click();
  const draft = async () => (await api<{ draft: FlowDocument }>(request, 'GET', '/flows/desk-news')).body.draft.steps;
  await expect.poll(async () => (await draft())[0]!.kind).toBe('test');
  expect(((await draft())[0] as TestStep).arms.map(({ name }) => name)).toEqual(['News of tanks', 'Your tank misses you']);
  expect((await api(request, 'POST', '/flows/desk-news/publish', {})).status).toBe(200);

  // a shopper orders, and lets the shop write to this browser
  const address = someone('desk-push');
  await page.goto(`${base()}/outside/shop/p/QF-N001`);
  await page.getByRole('button', { name: / in the cart$/ }).click();
  await page.goto(`${base()}/outside/shop/checkout`);
  await page.getByLabel('Email').fill(address);
  await page.getByRole('button', { name: 'Order and pay' }).click();
  await page.getByRole('button', { name: 'Tell me on this device when something is new' }).click();
  await expect(page.getByText('You will hear of it here')).toBeVisible();
  const wanted = {
    specversion: '1.0',
    id: `desk-${Date.now()}`,
    source: 'test',
    type: 'app.desk_wanted',
    data: { person: { email: address } },
  };
  expect((await api(request, 'POST', '/events', wanted)).status).toBe(202);
  await page.goto(`${base()}/outside`);
  await page.getByRole('tab', { name: 'Locked screens' }).click();
  await expect(page.getByTestId('texts').getByText('Plants are in, keeper').first()).toBeVisible();
});
