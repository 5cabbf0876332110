import { expect, test } from '@playwright/test';
import { api, base, expectAccessible, signIn, someone } from './kit';

test('who is where in a flow shows on the map, by name; one is moved on, one is taken out', async ({ page, request }) => {
  const flow = {
    schema: 'viatic.flow/1',
    name: 'A long wait',
    triggers: [{ id: 'start', kind: 'event', event: 'app.waited', key: null }],
    entry: null,
    stay: { test: 'didNot', event: 'order.placed', since: 'entry' },
    reentry: 'always',
    goal: null,
    steps: [
      { id: 'days', kind: 'wait', for: 'P2D' },
      {
        id: 'word',
        kind: 'send',
        name: 'A word after it',
        message: {
          schema: 'viatic.message/1',
          channel: 'email',
          kind: 'marketing',
          subject: 'A word after it',
          preview: '',
          blocks: [{ id: 'b1', kind: 'text', text: 'Here it is.' }],
        },
      },
      { id: 'more-days', kind: 'wait', for: 'P9D' },
    ],
  };
  expect((await api(request, 'PUT', '/flows/long-wait', flow)).status).toBe(200);
  await signIn(page, '/flows/long-wait');
  await expect(page.getByRole('tab', { name: 'Now' })).toBeDisabled();
  expect((await api(request, 'POST', '/flows/long-wait/publish')).status).toBe(200);
  const [first, second] = [someone('first'), someone('second')];
  const waited = [first, second].map((email, n) => ({
    specversion: '1.0',
    id: `w-${Date.now()}-${n}`,
    source: 'test',
    type: 'app.waited',
    data: { person: { email, firstName: n ? 'Noor' : 'Mats', lastName: 'Test', consent: { email: true } } },
  }));
  expect((await api(request, 'POST', '/events', waited)).status).toBe(202);
  await page.reload();
  await page.getByRole('tab', { name: 'Now' }).click();
  const inspector = page.getByRole('complementary', { name: 'Inspector' });
  await expect(inspector.getByTestId('now-count')).toHaveText(/^2 people inside at this moment/);
  const map = page.getByTestId('line-map');
  await expect(map.getByText('2 wait')).toBeVisible();
  await map.getByRole('button', { name: 'Wait 2 days' }).click();
  await expect(inspector.getByTestId('now-count')).toContainText('2 people here at this moment');
  const who = inspector.getByRole('list', { name: 'Who' });
  await expect(who.getByRole('link', { name: 'Mats Test' })).toBeVisible();
  await expect(inspector.getByRole('img', { name: /People who go on, by hour/ })).toBeVisible();
  await expectAccessible(page);

  await who.getByRole('button', { name: 'Acts on Mats Test' }).click();
  await page.getByRole('menuitem', { name: 'Move on to a step…' }).click();
  await expect(page.getByLabel('To the step')).toHaveValue('word');
  await page.getByRole('button', { name: 'Move on', exact: true }).click();
  await expect(page.getByText('Mats Test goes on at Send “A word after it”.')).toBeVisible();
  await expect(inspector.getByTestId('now-count')).toContainText('1 person here at this moment');
  await expect.poll(async () => (await api<unknown[]>(request, 'GET', `/outside/api/mail?to=${first}`)).body.length).toBe(1);

  await who.getByRole('button', { name: 'Acts on Noor Test' }).click();
  await page.getByRole('menuitem', { name: 'Take out of the flow' }).click();
  await page.getByRole('button', { name: 'Take out', exact: true }).click();
  await expect(page.getByText('Noor Test is out of the flow.')).toBeVisible();
  await expect(inspector.getByText('Nobody is at this step now.')).toBeVisible();
  await inspector.getByRole('button', { name: 'Show all' }).click();
  await expect(inspector.getByTestId('now-count')).toHaveText(/^1 person inside at this moment/);
});

test('what fell due during a pause is shown before it is resumed, and is dropped where that is chosen', async ({ page, request }) => {
  const flow = {
    schema: 'viatic.flow/1',
    name: 'Paused a while',
    triggers: [{ id: 'start', kind: 'event', event: 'app.paused_test', key: null }],
    entry: null,
    stay: null,
    reentry: 'always',
    goal: null,
    steps: [
      { id: 'minutes', kind: 'wait', for: 'PT5M' },
      {
        id: 'word',
        kind: 'send',
        name: 'Five minutes on',
        message: {
          schema: 'viatic.message/1',
          channel: 'email',
          kind: 'marketing',
          subject: 'Five minutes on',
          preview: '',
          blocks: [{ id: 'b1', kind: 'text', text: 'Here it is.' }],
        },
      },
      { id: 'days', kind: 'wait', for: 'P9D' },
    ],
  };
  expect((await api(request, 'PUT', '/flows/paused-a-while', flow)).status).toBe(200);
  expect((await api(request, 'POST', '/flows/paused-a-while/publish')).status).toBe(200);
  const event = {
    specversion: '1.0',
    id: `p-${Date.now()}`,
    source: 'test',
    type: 'app.paused_test',
    data: { person: { email: someone('paused'), firstName: 'Ine', consent: { email: true } } },
  };
  expect((await api(request, 'POST', '/events', event)).status).toBe(202);
  const inside = async () => (await api<{ inside: number }>(request, 'GET', '/flows/paused-a-while')).body.inside;
  await expect.poll(inside).toBe(1);
  await signIn(page, '/flows/paused-a-while');
  await page.getByRole('button', { name: 'Pause', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Resume', exact: true })).toBeVisible();
  expect((await api(request, 'POST', '/clock', { advance: 'PT10M' })).status).toBe(200);
  await expect.poll(async () => (await api<{ people: number }>(request, 'GET', '/flows/paused-a-while/due')).body.people).toBe(1);

  await page.getByRole('button', { name: 'Resume', exact: true }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByRole('heading', { name: '1 person was due while it was paused' })).toBeVisible();
  await expect(dialog.getByRole('list', { name: 'What was due' })).toContainText('Send “Five minutes on”');
  await expectAccessible(page, { part: '[role=dialog]' });
  await dialog.getByRole('radio', { name: /^It is dropped/ }).check();
  await dialog.getByRole('button', { name: 'Resume', exact: true }).click();
  await expect(page.getByText('What was due during the pause is dropped.')).toBeVisible();
  await page.goto(`${base()}/people?q=${event.data.person.email}`);
  await page.getByRole('link', { name: 'Ine' }).click();
  await expect(
    page.getByTestId('timeline').getByText('Did not send “Five minutes on”: it fell due while the flow was paused'),
  ).toBeVisible();
});
