import { expect, test, type APIRequestContext, type Request } from '@playwright/test';
import pg from 'pg';
import { api, base, databaseUrl, expectAccessible, outside, signIn, someone } from './kit';

const flow = (name: string) => ({
  schema: 'viatic.flow/1',
  name,
  triggers: [{ id: 'start', kind: 'event', event: 'app.visited', key: 'visit' }],
  entry: null,
  stay: null,
  reentry: 'once-per-key',
  goal: null,
  steps: [],
});

test('a flow is put together in the inspector: steps are added, edited, moved and taken out; what it does is done', async ({
  page,
  request,
}) => {
  expect((await api(request, 'PUT', '/flows/put-together', flow('Put together'))).status).toBe(200);
  await signIn(page, '/flows/put-together');
  const script = page.getByRole('navigation', { name: 'Script' });
  const inspector = page.getByRole('complementary', { name: 'Inspector' });
  const add = async (label: string, kind: string) => {
    await inspector.getByRole('button', { name: label }).click();
    await page.getByRole('menuitem', { name: kind, exact: true }).click();
  };

  await add('Add the first step', 'Idea, still a sentence');
  await inspector.getByLabel('What should happen here').fill('Thank them');
  await page.getByRole('button', { name: 'Publish…' }).click();
  await expect(page.getByRole('dialog').getByText('“Thank them” is only an idea yet')).toBeVisible();
  await page.keyboard.press('Escape');
  await inspector.getByRole('button', { name: 'Remove', exact: true }).click();
  await expect(script.getByText('Idea: Thank them')).toHaveCount(0);

  await add('Add the first step', 'Update the person');
  await inspector.getByLabel('What is done').selectOption('add to a number');
  await inspector.getByLabel('Attribute', { exact: true }).fill('visits');
  await inspector.getByLabel('By how much').fill('3');
  await inspector.getByRole('button', { name: 'Add a change' }).click();
  await inspector.getByLabel('Tag', { exact: true }).fill('visitor');
  await inspector.getByLabel('Name', { exact: true }).fill('Count it');
  await expect(script.getByRole('button', { name: 'Update “Count it”' })).toBeVisible();

  await add('Add after this', 'Wait');
  await inspector.getByLabel('Ended before that by').selectOption('a condition');
  await inspector.getByLabel('Two ways on').check();
  await expect(script.getByText('if that came')).toBeVisible();
  await expect(page.getByTestId('line-map').getByText('Came?')).toBeVisible();
  await add('Add to “It came”', 'Hand over to a flow');
  await inspector.getByLabel('To the flow').selectOption('first-order');
  await inspector.getByRole('button', { name: 'Duplicate' }).click();
  await expect(script.getByRole('button', { name: 'Hand over “To another flow”' })).toHaveCount(2);
  await page.keyboard.press('Control+z');
  await expect(script.getByRole('button', { name: 'Hand over “To another flow”' })).toHaveCount(1);

  // when people enter, how many get nothing, who goes first
  await script.getByRole('button', { name: /^When:/ }).click();
  await inspector.getByLabel('Control group, %').fill('10');
  await inspector.getByLabel('Priority').fill('70');
  await inspector.getByLabel('May start').selectOption('again after a while');
  await inspector.getByLabel('Control group, %').fill('0');
  await page.getByRole('button', { name: 'Publish…' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Publish', exact: false }).last().click();
  await expect(page.getByText('Version 1', { exact: true })).toBeVisible();

  // the version that is on is the draft again, whatever has been changed since
  await script.getByRole('button', { name: 'Update “Count it”' }).click();
  await inspector.getByLabel('Name', { exact: true }).fill('Count them');
  await expect(page.getByText(/1 change not published/)).toBeVisible();
  await page.getByRole('button', { name: 'Version 1' }).click();
  await page.getByRole('button', { name: 'Bring version 1 back as the draft' }).click();
  await expect(script.getByRole('button', { name: 'Update “Count it”' })).toBeVisible();
  await expect(page.getByText('Version 1 is the draft again.')).toBeVisible();
  await page.locator('[data-sonner-toast]').getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('tab', { name: 'Plan' }).click();
  await expect(script.getByRole('button', { name: 'Update “Count them”' })).toBeVisible();

  const email = someone('put');
  await api(request, 'POST', '/events', {
    specversion: '1.0',
    id: `visit ${email}`,
    source: 'test',
    type: 'app.visited',
    data: { visit: 'v1', person: { email, consent: { email: true } } },
  });
  await expect
    .poll(async () => {
      const { people } = (await api<{ people: { id: string }[] }>(request, 'GET', `/people?q=${encodeURIComponent(email)}`)).body;
      if (!people[0]) return null;
      return (await api<{ attributes: { name: string; value: unknown }[]; tags: string[] }>(request, 'GET', `/people/${people[0].id}`)).body
        .tags;
    })
    .toEqual(['visitor']);
});

test('a flow starts by a schedule or by a day on file, in words', async ({ page, request }) => {
  expect((await api(request, 'PUT', '/flows/by-the-clock', flow('By the clock'))).status).toBe(200);
  await signIn(page, '/flows/by-the-clock');
  const script = page.getByRole('navigation', { name: 'Script' });
  const inspector = page.getByRole('complementary', { name: 'Inspector' });
  await inspector.getByLabel('Starts by').selectOption('a day on file');
  await inspector.getByLabel('Days after it').fill('-7');
  await expect(script.getByText('When: 7 days before their birthday, each year, at 09:00')).toBeVisible();
  await inspector.getByLabel('Starts by').selectOption('a schedule');
  await inspector.getByLabel('At', { exact: true }).fill('2030-01-07T10:30');
  await inspector.getByLabel('Comes round').selectOption('by a rule of its own');
  await inspector.getByLabel('Rule', { exact: true }).fill('FREQ=HOURLY');
  await expect(inspector.getByText(/is no recurrence/)).toBeVisible();
  await inspector.getByLabel('Rule', { exact: true }).fill('FREQ=WEEKLY;BYDAY=MO');
  await expect(script.getByText('When: From 2030-01-07 at 10:30 every week on Monday, everybody')).toBeVisible();
  await inspector.getByLabel('Only some people').check();
  await inspector.getByRole('combobox', { name: 'Add a condition', exact: true }).first().fill('has the tag');
  await expect(page.getByText('Draft saved').first()).toBeVisible();
});

test('a flow has several triggers, one by a change on file, and a goal that is a condition', async ({ page, request }) => {
  await api(request, 'PUT', '/flows/points-rise', { ...flow('Points rise'), reentry: 'always' });
  await signIn(page, '/flows/points-rise');
  const script = page.getByRole('navigation', { name: 'Script' });
  await script.getByText(/^When:/).click();
  const inspector = page.getByRole('complementary', { name: 'Inspector' });
  await inspector.getByRole('button', { name: 'Add another trigger' }).click();
  const second = inspector.getByRole('group', { name: 'Trigger, one of several' }).last();
  await second.getByLabel('Starts by').selectOption('a change on file');
  await second.getByLabel('Attribute').fill('points');
  await second.getByRole('button', { name: 'Only where …' }).click();
  await expect(script.getByText(/or A change of their points: the new value is at least 100/)).toBeVisible();
  await inspector.getByRole('group', { name: 'Trigger, one of several' }).first().getByRole('button', { name: 'Remove' }).click();
  await expect(script.getByText('When: A change of their points: the new value is at least 100')).toBeVisible();
  await expect(inspector.getByRole('button', { name: 'Remove', exact: true })).toHaveCount(0);

  const goal = inspector.getByRole('group', { name: 'Goal' });
  await goal.getByLabel('Reached by').selectOption('a condition that comes to hold');
  await goal.getByRole('combobox', { name: 'Add a condition', exact: true }).fill('can be emailed');
  await page.keyboard.press('Enter');
  await expect(script.getByText(/^Goal: can be emailed within/)).toBeVisible();
  await expectAccessible(page);
  await expect(page.getByText('Draft saved').first()).toBeVisible();
});

test('a flow calls a system of the shop and asks a colleague, and goes on with what comes', async ({ page, request }) => {
  const address = someone('asked');
  expect((await api(request, 'PUT', '/flows/asks-outside', { ...flow('Asks outside'), reentry: 'always' })).status).toBe(200);
  await signIn(page, '/flows/asks-outside');
  const script = page.getByRole('navigation', { name: 'Script' });
  const inspector = page.getByRole('complementary', { name: 'Inspector' });
  const add = async (label: string, kind: string) => {
    await inspector.getByRole('button', { name: label }).click();
    await page.getByRole('menuitem', { name: kind, exact: true }).click();
  };
  await add('Add the first step', 'Call a system');
  await inspector.getByLabel('Name', { exact: true }).fill('Their points');
  await inspector.getByLabel('Address').fill(`${outside()}/outside/webhooks/points`);
  const body = inspector.getByLabel('What it tells, as JSON');
  await body.fill('{ "email": ');
  await expect(inspector.getByText(/it is not JSON/)).toBeVisible();
  await body.fill('{ "email": "{{ person.email }}" }');
  await expect(inspector.getByText(/it is not JSON/)).toBeHidden();
  await add('Add after this', 'Task for a colleague');
  await inspector.getByLabel('Name', { exact: true }).fill('Write them a card');
  await inspector.getByLabel('What is to be done').fill('{{ person.email }} has {{ answers.call.points }} points');
  await inspector.getByLabel('Their name or address').fill('Marla');
  await inspector.getByLabel('Two ways on').check();
  await expect(script.getByText(/It was done/)).toBeVisible();
  await expectAccessible(page);
  await expect(page.getByText('Draft saved').first()).toBeVisible();
  await page.getByRole('button', { name: 'Publish…' }).click();
  await page
    .getByRole('dialog')
    .getByRole('button', { name: /^Publish/ })
    .click();
  await expect(page.getByText('On', { exact: true }).first()).toBeVisible();

  await api(request, 'POST', '/events', {
    id: address,
    source: 'e2e',
    type: 'app.visited',
    data: { visit: address, person: { email: address } },
  });
  await expect
    .poll(async () => (await api<{ tasks: { text: string }[] }>(request, 'GET', '/tasks')).body.tasks.map((task) => task.text))
    .toContain(`${address} has 120 points`);
  await page.goto(`${base()}/settings/calls`);
  await expect(page.getByRole('row', { name: /Asks outside/ })).toContainText('answered');
  await page.getByRole('button', { name: 'Replace the secret' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Replace it' }).click();
  await expect(page.getByText(/^whsec_/)).toBeVisible();
  await expectAccessible(page);

  await page.goto(`${base()}/people/tasks`);
  const row = page.getByRole('row', { name: new RegExp(address.replaceAll('.', '\\.')) });
  await expect(row).toContainText('Write them a card');
  await expectAccessible(page);
  await row.getByRole('button', { name: 'Done', exact: true }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('A word on it').fill('sent on Monday');
  await dialog.getByRole('button', { name: 'Done', exact: true }).click();
  await expect(row).toBeHidden();
  await page.getByRole('button', { name: 'Done', exact: true }).first().click();
  await expect(page.getByText('“sent on Monday”')).toBeVisible();
  await page.getByRole('link', { name: address }).click();
  const story = page.getByTestId('timeline');
  await expect(story.getByText('“Their points” was answered')).toBeVisible();
  await expect(story.getByText('“Write them a card” was done')).toBeVisible();
});

test('what is rehearsed is kept as a check, which stops a publishing that breaks it; a warning is mended or accepted', async ({
  page,
  request,
}) => {
  const letter = (id: string, more: object = {}) => ({
    id,
    kind: 'send',
    name: id,
    ...more,
    message: {
      schema: 'viatic.message/1',
      channel: 'email',
      kind: 'marketing',
      subject: id,
      preview: '',
      blocks: [{ id: 'b1', kind: 'text', text: 'Thanks' }],
    },
  });
  const goal = { event: 'order.placed', within: 'P30D', ends: true };
  const steps = [letter('hello'), { id: 'a-day', kind: 'wait', for: 'P1D' }, letter('again', { off: true })];
  expect((await api(request, 'PUT', '/flows/checked', { ...flow('Checked'), goal, steps })).status).toBe(200);
  await signIn(page, '/flows/checked');
  const dialog = page.getByRole('dialog');
  await page.getByRole('tab', { name: 'Rehearse' }).click();
  await expect(page.getByText('1 message', { exact: true })).toBeVisible();
  await page.getByLabel('What it shows').fill('One visit, one letter');
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  await page.getByRole('tab', { name: 'Plan' }).click();

  await page.getByRole('button', { name: 'Publish…' }).click();
  const found = dialog.getByRole('region', { name: 'Preflight' });
  await expect(found.getByText('1 check of 1 holds.')).toBeVisible();
  await found.getByRole('button', { name: 'Accept…' }).first().click();
  await found.getByLabel('Why it is right as it is').fill('not before the spring');
  await found.getByRole('button', { name: 'Accept', exact: true }).click();
  await expect(found.getByText('Because: not before the spring')).toBeVisible();
  await expectAccessible(page, { part: '[role=dialog]' });
  await found.getByRole('button', { name: 'Take it back' }).click();
  await found.getByRole('button', { name: 'Switch it on' }).click();
  // now there is a second letter, which the check did not expect
  await expect(found.getByText(/The check “One visit, one letter” fails: they get “hello”, then “again”, not “hello”/)).toBeVisible();
  await expect(dialog.getByRole('button', { name: 'Publish version 1' })).toBeDisabled();
  await page.keyboard.press('Escape');
  await page
    .getByRole('navigation', { name: 'Script' })
    .getByText(/^When:/)
    .click();
  await page.getByRole('button', { name: 'Remove the check “One visit, one letter”' }).click();
  await page.getByRole('button', { name: 'Publish…' }).click();
  await expect(found.getByText('Nothing to mend.')).toBeVisible();
  await dialog.getByRole('button', { name: 'Publish version 1' }).click();
  await expect(page.getByText('Version 1 of “Checked” is on.')).toBeVisible();
});

test('a flow begins from one that is ready, as a copy, and from a file that was saved', async ({ page }) => {
  await signIn(page, '/flows');
  await page.getByRole('button', { name: 'New flow' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByText(/^Not arrived yet: .*app\.project_created/)).toBeVisible();
  await dialog.getByRole('radio', { name: /^Getting started/ }).check();
  await expectAccessible(page, { part: '[role=dialog]' });
  await dialog.getByRole('button', { name: 'Create' }).click();
  await expect(page.getByRole('heading', { name: 'Getting started' })).toBeVisible();
  await expect(page).toHaveURL(/\/flows\/getting-started$/);
  await expect(page.getByTestId('line-map').getByRole('button', { name: /Need a hand/ })).toBeVisible();
  await page
    .getByRole('navigation', { name: 'Script' })
    .getByText(/^When:/)
    .click();
  await page.getByRole('button', { name: 'More acts' }).click();
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('menuitem', { name: 'Save as a file' }).click()]);
  expect(download.suggestedFilename()).toBe('getting-started.json');
  const file = await download.path();

  await page.goto(`${base()}/flows`);
  await page.getByRole('button', { name: 'New flow' }).click();
  await dialog.getByRole('radio', { name: 'From a file' }).check();
  await dialog.getByLabel('Or its text').fill('{"schema": "viatic.flow/1"}');
  await expect(dialog.getByText(/^This is no flow: name/)).toBeVisible();
  await expect(dialog.getByRole('button', { name: 'Create' })).toBeDisabled();
  await dialog.getByLabel('A file', { exact: true }).setInputFiles(file);
  await dialog.getByRole('textbox', { name: 'Name', exact: true }).fill('From the file');
  await dialog.getByRole('button', { name: 'Create' }).click();
  await expect(page).toHaveURL(/\/flows\/from-the-file$/);
  await expect(page.getByTestId('line-map').getByRole('button', { name: /Need a hand/ })).toBeVisible();

  await page.goto(`${base()}/flows`);
  await page.getByRole('button', { name: 'New flow' }).click();
  await dialog.getByRole('radio', { name: 'A copy of another' }).check();
  await dialog.getByLabel('Which flow').selectOption('cart-left-behind');
  await dialog.getByRole('button', { name: 'Create' }).click();
  await expect(page.getByRole('heading', { name: 'Cart left behind, copy' })).toBeVisible();
});

/** Expects a backtest of what was on to have let in the very people who came in; else it says what is on file of the others. */
async function expectPlayedAsItWas(request: APIRequestContext, asked: Request): Promise<void> {
  const { from, to } = asked.postDataJSON() as { from: string; to: string };
  const { id } = (await (await asked.response())!.json()) as { id: string };
  const { body } = await api<{ result: { who: { person: string }[] } }>(request, 'GET', `/works/${id}`);
  const db = new pg.Client({ connectionString: databaseUrl() });
  await db.connect();
  const { rows } = await db.query<{ person: string }>(
    `select r.person_id as person from runs r join flows f on f.id = r.flow_id
     where f.key = 'cart-left-behind' and r.entered_at between $1 and $2 and r.outcome is distinct from 'control'`,
    [from, to],
  );
  const [played, was] = [body.result.who, rows].map((all) => all.map(({ person }) => person).sort()) as [string[], string[]];
  const times = (all: string[], one: string) => all.filter((other) => other === one).length;
  const others = [...played, ...was].filter((one) => times(played, one) !== times(was, one));
  const stories = [];
  for (const person of new Set(others))
    for (const table of ['people', 'events', 'fact_changes', 'runs', 'traces']) {
      const whose = table === 'people' ? 'id' : 'person_id';
      const found = await db.query<{ row: object }>(`select to_jsonb(t) as row from ${table} t where ${whose} = $1`, [person]);
      stories.push(`${table} of ${person}`, ...found.rows.map(({ row }) => JSON.stringify(row)));
    }
  await db.end();
  expect(played, stories.join('\n')).toEqual(was);
}

test('a flow is tried out on somebody made up, and over history, before it is on', async ({ page, request }) => {
  await signIn(page, '/flows/cart-left-behind');
  await page.getByRole('tab', { name: 'Rehearse' }).click();
  const pane = page.getByRole('complementary', { name: 'Rehearsal' });
  await expect(pane.getByText('2 messages')).toBeVisible();
  await expect(pane.getByText('Went through to the end')).toBeVisible();
  await pane.getByText('Who, and what happens to them').click();
  await pane.getByRole('button', { name: 'Add an event' }).click();
  await pane.getByLabel('After the beginning, amount').last().fill('5');
  await pane.getByLabel('After the beginning, unit').last().selectOption('hours');
  await expect(pane.getByText('1 message', { exact: true })).toBeVisible();
  await expect(pane.getByText(/goal reached/)).toBeVisible();
  await pane.getByRole('region', { name: 'Messages' }).getByRole('button').first().click();
  await expect(pane.frameLocator('iframe').locator('body')).toContainText('Quillfin');
  // scripts, axe’s too, are forbidden in the frame of a message
  await pane.getByRole('region', { name: 'Messages' }).getByRole('button').first().click();
  await expectAccessible(page);
  await pane.getByLabel('What is on file').fill('not json');
  await expect(pane.getByText('This is no object of JSON.')).toBeVisible();
  await expect(pane.getByText('Something below cannot be read yet.')).toBeVisible();

  await page.getByRole('tab', { name: 'Backtest' }).click();
  const [asked] = await Promise.all([
    page.waitForRequest((one) => one.method() === 'POST' && one.url().endsWith('/backtest')),
    page.getByRole('button', { name: 'Play it' }).click(),
  ]);
  const result = page.getByTestId('backtest');
  await expect(result).toContainText('would have entered');
  await expectPlayedAsItWas(request, asked);
  const counts = /([\d,]+) runs? would have entered.*What was on really did in that time: ([\d,]+) runs?/s.exec(
    (await result.textContent())!,
  )!;
  expect(counts[1]).toBe(counts[2]);
  // how many took each way stands on the map, and who by name in the pane
  await expect(page.getByTestId('line-map').getByText(`${counts[1]} runs`)).toBeVisible();
  await expect(result.getByRole('region', { name: 'Who' }).getByRole('link').first()).toHaveAttribute('href', /^\/people\/~\d+$/);
  await expectAccessible(page);
  await page.getByLabel('Assume what people do').check();
  await page.getByRole('slider', { name: 'Order' }).fill('8');
  await page.getByRole('button', { name: 'Play it' }).click();
  await expect(result).toContainText('These are guesses.');
});

test('limits of sending are set, said, undone; a country without known holidays is pointed out', async ({ page, request }) => {
  await signIn(page, '/settings/sending');
  await page.getByLabel('Keep a distance').check();
  await page.getByLabel('At least, amount').fill('20');
  await page.getByRole('button', { name: 'Add a limit' }).click();
  await page.getByLabel('Messages', { exact: true }).fill('4');
  await page.getByLabel('Only at certain hours').check();
  await page.getByLabel('Not on the public holidays of').fill('nl');
  // typed sign by sign: the comma stays while the next day is not there yet
  await page.getByLabel('Nor on these days').pressSequentially('2026-12-24, 2026-12-31');
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByText('Saved. It holds from now on')).toBeVisible();
  await expect(page.getByText(/Nothing goes out on: /)).toBeVisible();
  expect((await api<{ limits: object }>(request, 'GET', '/sending')).body.limits).toMatchObject({
    gap: 'PT20H',
    caps: [{ channel: 'email', most: 4, per: 'P1W' }],
    holidaysOf: 'NL',
    closed: ['2026-12-24', '2026-12-31'],
  });
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByLabel('Keep a distance')).not.toBeChecked();
  await expect.poll(async () => (await api<{ limits: { gap: string | null } }>(request, 'GET', '/sending')).body.limits.gap).toBeNull();
  await page.getByLabel('Not on the public holidays of').fill('xx');
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await expect(page.getByText(/names no country whose holidays are known: XX/)).toBeVisible();
  await expectAccessible(page);
});

test('a test shows what came of its arms, and one of them is kept for everybody, undone and all', async ({ page, request }) => {
  await signIn(page, '/flows/looked-not-bought');
  const script = page.getByRole('navigation', { name: 'Script' });
  const steps = async () =>
    (await api<{ draft: { steps: { kind: string }[] } }>(request, 'GET', '/flows/looked-not-bought')).body.draft.steps;
  const before = await steps();
  await script.getByRole('button', { name: 'Test “Which subject”' }).click();
  const inspector = page.getByRole('complementary', { name: 'Inspector' });
  await expect(inspector.getByText(/^[\d,]+ (person|people) in the last 30 days; [\d,]+ reached the goal, [\d.]+ %$/)).toHaveCount(2);
  await inspector.getByRole('button', { name: 'Keep only Offers help' }).click();
  await expect(page.getByText('Only “Offers help” is left. Publish it to end the test.')).toBeVisible();
  await expect(script.getByRole('button', { name: /^Test/ })).toHaveCount(0);
  await expect.poll(async () => (await steps()).some((step) => step.kind === 'test')).toBe(false);
  await page.getByRole('button', { name: 'Undo', exact: true }).last().click();
  await expect(script.getByRole('button', { name: 'Test “Which subject”' })).toBeVisible();
  await expect.poll(steps).toEqual(before);
});
