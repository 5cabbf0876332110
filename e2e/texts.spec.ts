import { expect, test } from '@playwright/test';
import { api, base, expectAccessible, signIn, someone } from './kit';

test('a message is put on SMS in the inspector, arrives on a handset, its link counts, and STOP ends them', async ({ page, request }) => {
  const flow = {
    schema: 'viatic.flow/1',
    name: 'A word by text',
    triggers: [{ id: 'start', kind: 'event', event: 'app.text_wanted', key: null }],
    entry: null,
    stay: null,
    reentry: 'always',
    goal: { event: 'order.placed', within: 'P7D', ends: true },
    steps: [
      {
        id: 'word',
        kind: 'send',
        name: 'A word',
        message: {
          schema: 'viatic.message/1',
          channel: 'email',
          kind: 'marketing',
          subject: 'Hello',
          preview: '',
          blocks: [{ id: 'b1', kind: 'text', text: 'Hi {{ person.firstName | fallback: "there" }}' }],
        },
      },
    ],
  };
  expect((await api(request, 'PUT', '/flows/word-by-text', flow)).status).toBe(200);
  await signIn(page);
  // what one part costs is set by country, and told where a text is written
  await page.goto(`${base()}/settings/sending`);
  const prices = page.getByRole('region', { name: 'What a text message costs' });
  await prices.getByRole('textbox').fill('Netherlands 0.07\nNowhere at all 1');
  await expect(prices.getByText('begins with no country')).toBeVisible();
  await prices.getByRole('textbox').fill('Netherlands 0.07\nDE 0.085');
  await prices.getByRole('button', { name: 'Save the prices' }).click();
  await expect(page.getByText('It is told where a text message is written.')).toBeVisible();
  await page.goto(`${base()}/flows/word-by-text`);
  await page
    .getByRole('navigation', { name: 'Script' })
    .getByRole('button', { name: /Send “A word”/ })
    .click();
  const inspector = page.getByRole('complementary', { name: 'Inspector' });
  await inspector.getByRole('combobox', { name: 'Goes by' }).selectOption('SMS');
  // what it said went with it
  await expect(inspector.getByRole('textbox', { name: 'Text', exact: true })).toHaveValue('Hi {{ person.firstName | fallback: "there" }}');
  await inspector.getByRole('textbox', { name: 'Text', exact: true }).fill(`Hi, look here: ${base()}/outside/shop/p/QF-T112`);
  await expect(inspector.getByTestId('sms-length')).toContainText('Goes out as 1 text message');
  await inspector
    .getByRole('textbox', { name: 'Text', exact: true })
    .fill(`Hi ê, look here: ${base()}/outside/shop/p/QF-T112 ${'x'.repeat(60)}`);
  await expect(inspector.getByTestId('sms-length')).toContainText('Goes out as 2 text messages');
  // with how to stop, which is put at its end, it is a third part
  await expect(inspector.getByTestId('sms-cost')).toContainText('€0.255 in Germany, €0.21 in Netherlands');
  await inspector.getByRole('textbox', { name: 'Text', exact: true }).fill(`Hi, look here: ${base()}/outside/shop/p/QF-T112`);
  await expectAccessible(page, { part: 'aside' });
  await expect(page.getByText('Draft saved')).toBeVisible();
  await page.getByRole('button', { name: 'Publish…' }).click();
  await page
    .getByRole('dialog')
    .getByRole('button', { name: /^Publish/ })
    .click();
  await expect(page.getByRole('dialog')).toHaveCount(0);

  const phone = `+4477009${String(Date.now()).slice(-5)}`;
  const wanted = (n: number) => ({
    specversion: '1.0',
    id: `t-${Date.now()}-${n}`,
    source: 'test',
    type: 'app.text_wanted',
    data: { person: { email: address, firstName: 'Noor', phone, consent: { sms: true } } },
  });
  const address = someone('text');
  expect((await api(request, 'POST', '/events', wanted(1))).status).toBe(202);
  await page.goto(`${base()}/outside`);
  await page.getByRole('tab', { name: 'Handsets' }).click();
  await page.getByLabel('Whose handset').fill(phone);
  const texts = page.getByTestId('texts');
  await expect(texts.getByText(/^Hi, look here/)).toBeVisible();
  await expect(texts.getByText('Reply STOP to end.')).toBeVisible();
  const [shop] = await Promise.all([page.context().waitForEvent('page'), texts.getByRole('link').first().click()]);
  await expect(shop.getByRole('heading', { name: 'Shoreline tank 112 l' })).toBeVisible();
  await shop.close();
  await expectAccessible(page);

  await page.getByLabel('Answer').fill('STOP');
  await page.getByRole('button', { name: 'Send', exact: true }).click();
  await expect(texts.getByText('STOP', { exact: true })).toBeVisible();
  const { people } = (await api<{ people: { id: string }[] }>(request, 'GET', `/people?q=${encodeURIComponent(address)}`)).body;
  await expect
    .poll(async () => JSON.stringify((await api<{ channels: object }>(request, 'GET', `/people/${people[0]!.id}`)).body.channels))
    .toContain('withdrawn');
  await page.goto(`${base()}/people/${people[0]!.id}`);
  const story = page.getByTestId('timeline');
  await expect(story.getByText('Clicked in the message').first()).toBeVisible();
  await expect(page.getByText(/answered STOP by SMS/).first()).toBeVisible();
  expect((await api(request, 'POST', '/events', wanted(2))).status).toBe(202);
  // the time line looks for what is new by itself
  await expect(story.getByText(/Did not send “A word”/).first()).toBeVisible();
});
