import { expect, test, type APIRequestContext, type Locator, type Page } from '@playwright/test';
import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import type { FlowDocument, Step } from '../src/core/flows';
import { api, base, expectAccessible, signIn } from './kit';

const empty = (name: string) => ({
  schema: 'viatic.flow/1',
  name,
  triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' }],
  entry: null,
  stay: null,
  reentry: 'once-per-key',
  goal: null,
  steps: [],
});
/** The draft once what is on the screen is stored: it saves itself a moment after the last change. */
const saved = async (page: Page, key: string): Promise<FlowDocument> => {
  await page.waitForTimeout(900);
  await expect(page.getByText('Draft saved')).toBeVisible();
  return (await api<{ draft: FlowDocument }>(page.request, 'GET', `/flows/${key}`)).body.draft;
};
const everyStep = (steps: readonly Step[]): Step[] =>
  steps.flatMap((step) => [step, ...('arms' in step ? (step.arms ?? []) : []).flatMap((arm) => everyStep(arm.steps))]);
const lengths = (flow: FlowDocument) =>
  everyStep(flow.steps).map((step) =>
    step.kind === 'wait' ? step.for : step.kind === 'send' || step.kind === 'branch' ? step.name : step.kind,
  );

/** Takes something at a point and lets it go at another, in steps as a hand does. */
async function drag(page: Page, what: Locator, to: { x: number; y: number }): Promise<void> {
  const box = (await what.boundingBox())!;
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await page.mouse.down();
  await page.mouse.move((box.x + to.x) / 2, (box.y + to.y) / 2);
  await page.mouse.move(to.x, to.y, { steps: 4 });
}

test('a first-order flow of six messages is built from nothing with the mouse alone, on the line itself', async ({ page, request }) => {
  await api(request, 'PUT', '/flows/by-mouse', empty('By mouse'));
  await signIn(page, '/flows/by-mouse');
  const map = page.getByTestId('line-map');
  const middle = async (one: Locator) => {
    const box = (await one.boundingBox())!;
    return { x: box.x + box.width / 2, y: box.y + box.height / 2 };
  };
  /** Presses the line just before the end, and types what comes there. */
  const add = async (words: string) => {
    const finish = map.locator('[data-stop="finish"]');
    await finish.scrollIntoViewIfNeeded();
    const end = await middle(finish);
    await page.mouse.move(end.x - 16, end.y);
    await map.getByRole('button', { name: /^Add here/ }).click();
    await page.getByRole('combobox', { name: 'Add a step' }).fill(words);
    await page.getByRole('listbox').getByRole('option').first().click();
    await expect(page.getByRole('combobox', { name: 'Add a step' })).toHaveCount(0);
  };
  const words = ['Thanks', 'How it goes on', 'First weeks', 'Plants', 'A word', 'Next order'];
  for (const name of words) {
    if (name !== 'Thanks') await add('wait 3 days');
    await add(`send ${name}`);
  }
  const flow = await saved(page, 'by-mouse');
  expect(lengths(flow)).toEqual(words.flatMap((name) => (name === 'Thanks' ? [name] : ['P3D', name])));

  // dragged along its lane: the wait before it becomes longer, and says so on the way
  const goesOn = map.getByRole('button', { name: 'Send How it goes on, 3 days after entry' });
  const at = await middle(goesOn);
  await drag(page, goesOn, { x: at.x + 60, y: at.y });
  await expect(map.getByRole('status')).toHaveText(/^\d+ days, \d+ d after entry$/);
  await page.mouse.up();
  const later = await saved(page, 'by-mouse');
  expect(lengths(later)[1]).not.toBe('P3D');
  await page.keyboard.press('Control+z');
  await expect(goesOn).toBeVisible();

  // a stretch is chosen, put into a branch, and one of its messages dragged to the other lane
  await map.getByRole('button', { name: /^Send Plants/ }).click();
  await map.getByRole('button', { name: /^Send A word/ }).click({ modifiers: ['Shift'] });
  const inspector = page.getByRole('complementary', { name: 'Inspector' });
  await expect(inspector.getByText('3 steps chosen')).toBeVisible();
  await inspector.getByRole('button', { name: 'Put into a branch' }).click();
  await expect(map.getByText('Everyone else')).toBeVisible();
  const lane = (await map.getByText('Everyone else').boundingBox())!;
  await drag(page, map.getByRole('button', { name: /^Send A word/ }), { x: lane.x + 90, y: lane.y - 8 });
  await expect(map.getByRole('status')).toHaveText(/^To here/);
  await page.mouse.up();
  await expect(map.getByRole('button', { name: /^Send A word, .*lane Everyone else/ })).toBeVisible();
  await expectAccessible(page);

  // a wait is parted where the line is pressed
  const [from, to] = [await middle(map.getByRole('button', { name: /^Send Thanks/ })), await middle(goesOn)];
  await page.mouse.move((from.x + to.x) / 2, from.y);
  await map.getByRole('button', { name: /^Add here/ }).click();
  await page.getByRole('combobox', { name: 'Add a step' }).fill('tag first');
  await page.getByRole('listbox').getByRole('option').first().click();
  const parted = await saved(page, 'by-mouse');
  const [, first, , second] = parted.steps;
  expect([first!.kind, second!.kind]).toEqual(['wait', 'wait']);
  await expect(goesOn).toBeVisible();
});

test('the same flow is written by keyboard alone, in the script; copied into another flow as text', async ({ page, context, request }) => {
  await context.grantPermissions(['clipboard-read', 'clipboard-write']);
  await api(request, 'PUT', '/flows/by-keys', empty('By keys'));
  await api(request, 'PUT', '/flows/by-keys-2', empty('By keys, again'));
  await signIn(page, '/flows/by-keys');
  const script = page.getByRole('navigation', { name: 'Script' });
  const { keyboard } = page;
  const add = async (words: string) => {
    await keyboard.press('a');
    await expect(page.getByRole('combobox', { name: 'Add a step' })).toBeFocused();
    await keyboard.type(words);
    await keyboard.press('Enter');
    await expect(page.getByRole('combobox', { name: 'Add a step' })).toHaveCount(0);
  };
  await script.getByRole('button', { name: /^When:/ }).focus();
  for (const words of ['send Thanks', 'wait 3 d', 'send How it goes on', 'wait 1 week', 'branch value 80']) await add(words);
  const branch = script.getByRole('button', { name: 'Branch “By value”' });
  await expect(branch).toBeFocused();
  await keyboard.press('Tab');
  await expect(script.getByRole('button', { name: /^80 and up/ })).toBeFocused();
  await add('send First weeks');
  await keyboard.press('ArrowUp');
  await keyboard.press('Tab');
  await expect(script.getByRole('button', { name: /^Below 80/ })).toBeFocused();
  await add('send Plants');
  await keyboard.press('End');
  // after the branch: from its own line
  await branch.focus();
  for (const words of ['wait 2 weeks', 'send A word', 'wait 5 d', 'send Next order', 'ask how the fish are']) await add(words);
  let flow = await saved(page, 'by-keys');
  expect(flow.steps.map((step) => step.kind)).toEqual(['send', 'wait', 'send', 'wait', 'branch', 'wait', 'send', 'wait', 'send', 'idea']);

  // a line is changed in place; an idea becomes what it says; what would be another kind is told, and nothing is lost
  await keyboard.press('Enter');
  await keyboard.type('wait 10 days');
  await keyboard.press('Enter');
  await expect(script.getByRole('button', { name: 'Wait 10 days' })).toBeFocused();
  await keyboard.press('ArrowUp');
  await keyboard.press('F2');
  await keyboard.type('wait 3 days');
  await keyboard.press('Enter');
  await expect(script.getByRole('alert')).toContainText('another kind of step');
  await keyboard.press('Escape');
  await expect(script.getByRole('button', { name: 'Send “Next order”' })).toBeFocused();

  // moved, doubled, taken out, and all of it undone
  await keyboard.press('d');
  await expect(script.getByRole('button', { name: 'Send “Next order”' })).toHaveCount(2);
  await keyboard.press('Delete');
  await expect(script.getByRole('button', { name: 'Send “Next order”' })).toHaveCount(1);
  await script.getByRole('button', { name: 'Send “Next order”' }).focus();
  await keyboard.press('Alt+ArrowUp');
  flow = await saved(page, 'by-keys');
  expect(lengths(flow).slice(-3)).toEqual(['Next order', 'P5D', 'P10D']);
  await keyboard.press('Control+z');

  // settings by keyboard: from the line into the inspector
  await script.getByRole('button', { name: 'Send “A word”' }).focus();
  await keyboard.press('i');
  await expect(page.getByLabel('Name of this message')).toBeFocused();

  // a stretch goes into another flow as text
  await script.getByRole('button', { name: 'Send “Thanks”' }).focus();
  await keyboard.press('ArrowUp');
  await keyboard.press('ArrowDown');
  for (let n = 0; n < 2; n++) await keyboard.press('Shift+ArrowDown');
  await keyboard.press('Control+c');
  await expect(page.getByText('3 steps copied.')).toBeVisible();
  const text = await page.evaluate(() => navigator.clipboard.readText());
  expect(JSON.parse(text)).toMatchObject({
    schema: 'viatic.steps/1',
    steps: [{ name: 'Thanks' }, { for: 'P3D' }, { name: 'How it goes on' }],
  });
  await page.goto(`${base()}/flows/by-keys-2`);
  await script.getByRole('button', { name: /^When:/ }).focus();
  await keyboard.press('Control+v');
  await expect(script.getByRole('button', { name: 'Send “How it goes on”' })).toBeVisible();
  expect(lengths(await saved(page, 'by-keys-2'))).toEqual(['Thanks', 'P3D', 'How it goes on']);
});

test('on the map by keyboard: A adds after a stop, Delete takes it out, B puts it into a branch, + and - zoom', async ({
  page,
  request,
}) => {
  await api(request, 'PUT', '/flows/map-keys', { ...empty('Map keys'), steps: [{ id: 'w', kind: 'wait', for: 'P2D' }] });
  await signIn(page, '/flows/map-keys');
  const map = page.getByTestId('line-map');
  const { keyboard } = page;
  await map.getByRole('button', { name: 'Wait 2 days' }).focus();
  await keyboard.press('Enter');
  await map.getByRole('button', { name: 'Wait 2 days' }).focus();
  await keyboard.press('a');
  await expect(page.getByRole('combobox', { name: 'Add a step' })).toBeFocused();
  await keyboard.type('send Hello');
  await keyboard.press('Enter');
  const hello = map.getByRole('button', { name: 'Send Hello, 2 days after entry' });
  await expect(hello).toBeFocused();
  await keyboard.press('o');
  await expect(map.getByRole('button', { name: 'Send Hello, 2 days after entry, off' })).toBeFocused();
  await keyboard.press('b');
  await expect(map.getByRole('button', { name: /^Branch New branch/ })).toBeFocused();
  await expect(map.getByRole('button', { name: 'Send Hello, 2 days after entry, lane Those who, off' })).toBeVisible();
  await keyboard.press('-');
  await expect(page.getByRole('group', { name: 'Zoom' }).getByText('80 %')).toBeVisible();
  await keyboard.press('0');
  await keyboard.press('Delete');
  await expect(map.getByRole('button', { name: /Hello/ })).toHaveCount(0);
  await keyboard.press('Control+z');
  await expect(map.getByRole('button', { name: /Hello/ })).toBeVisible();
});

/** Texts of the map that lie on each other, by more than a hair. */
const overlaps = (page: Page) =>
  page.getByTestId('line-map').evaluate((map) => {
    const boxes = [...map.querySelectorAll<HTMLElement | SVGElement>('[data-text]')].flatMap((element) => {
      // the box of what is written, not of the room that it may take
      const range = document.createRange();
      range.selectNodeContents(element);
      const own = element.getBoundingClientRect();
      const text = range.getBoundingClientRect();
      const left = Math.max(own.left, text.left);
      const right = Math.min(own.right, text.right);
      const top = Math.max(own.top, text.top);
      const bottom = Math.min(own.bottom, text.bottom);
      return right - left > 1 && bottom - top > 1
        ? [{ left, right, top, bottom, says: `${element.dataset.text}: ${element.textContent}` }]
        : [];
    });
    const on: string[] = [];
    boxes.forEach((a, index) => {
      for (const b of boxes.slice(index + 1))
        if (Math.min(a.right, b.right) - Math.max(a.left, b.left) > 1.5 && Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top) > 1.5)
          on.push(`${a.says} / ${b.says}`);
    });
    return on;
  });

test('no text of the map covers another, for any flow, as it is and zoomed', async ({ page, request }) => {
  await signIn(page);
  const program = ['--import', 'tsx', join(import.meta.dirname, 'anyflows.ts'), process.env.VIATIC_FLOWS ?? '10', '20260701'];
  const flows = JSON.parse(execFileSync(process.execPath, program, { encoding: 'utf8' })) as FlowDocument[];
  for (const [n, flow] of flows.entries()) {
    const put = await api(request, 'PUT', '/flows/any-flow', { ...flow, name: `Any flow ${n}` });
    expect(put.status, JSON.stringify(put.body)).toBe(200);
    await page.goto(`${base()}/flows/any-flow`);
    await page.getByTestId('line-map').locator('[data-stop="entry"]').waitFor();
    expect(await overlaps(page), `flow ${n}`).toEqual([]);
    if (n % 4 === 0) {
      await page.getByRole('button', { name: 'Larger' }).click();
      await page.getByRole('button', { name: 'Larger' }).click();
      expect(await overlaps(page), `flow ${n}, zoomed`).toEqual([]);
    }
  }
  for (const key of ['cart-left-behind', 'first-order'])
    for (const lens of ['Rehearse', 'Backtest', 'Now', 'Results', 'History']) {
      await page.goto(`${base()}/flows/${key}`);
      await page.getByRole('tab', { name: lens }).click();
      await page.waitForTimeout(800);
      expect(await overlaps(page), `${key}, ${lens}`).toEqual([]);
      if (key !== 'cart-left-behind') continue;
      await expectAccessible(page);
      await page.getByRole('button', { name: /^Switch to the (light|dark) theme$/ }).click();
      await expectAccessible(page, { rules: ['color-contrast'] });
    }
});

/** The cart flow of the demo as it was first published, under a key of its own: other tests change the one that is on. */
async function cartFlow(request: APIRequestContext, key: string): Promise<void> {
  const { body } = await api<FlowDocument>(request, 'GET', '/flows/cart-left-behind/versions/1');
  expect((await api(request, 'PUT', `/flows/${key}`, body)).status).toBe(200);
}

test('three people are rehearsed side by side; the clock is stepped; what happens by hand ends one of them', async ({ page, request }) => {
  await cartFlow(request, 'three-people');
  await signIn(page, '/flows/three-people');
  await page.getByRole('tab', { name: 'Rehearse' }).click();
  const pane = page.getByRole('complementary', { name: 'Rehearsal' });
  const map = page.getByTestId('line-map');
  await expect(pane.getByText('2 messages')).toBeVisible();
  await page.getByRole('button', { name: 'Add a person' }).click();
  await page.getByRole('button', { name: 'Add a person' }).click();
  await expect(map.locator('[data-traveller]')).toHaveCount(3);

  // by a hundred and forty the one goes, by sixty and twenty-four the others
  await pane.getByRole('tab', { name: 'Robin' }).click();
  await expect(pane.getByText('Took “100 and up”')).toBeVisible();
  // each decision says why
  const decision = pane.getByRole('listitem').filter({ hasText: 'Took “100 and up”' });
  await decision.getByText('Why').click();
  await expect(decision.getByText(/holds: cart value is at least €100\.00/)).toBeVisible();
  await pane.getByRole('tab', { name: 'Noor' }).click();
  await expect(pane.getByText('Took “Below 100”')).toBeVisible();

  await page.getByRole('button', { name: 'To the beginning' }).click();
  await expect(map.locator('[data-traveller]')).toHaveCount(0);
  await expect(pane.getByText('not begun yet')).toBeVisible();
  await page.getByRole('button', { name: 'To what happens next' }).click();
  await page.getByRole('button', { name: 'To what happens next' }).click();
  await expect(page.getByTestId('rehearsal-clock')).toContainText('1 h 1 min after the beginning');
  await expect(pane.getByText('Waiting 23 hours')).toBeVisible();

  // she orders: she leaves, the others do not
  await pane.getByLabel('Now they have').selectOption('order.placed');
  await pane.getByRole('button', { name: 'Let it happen' }).click();
  await page.getByRole('button', { name: 'To the end' }).click();
  await expect(pane.getByText(/goal reached/)).toBeVisible();
  await expect(pane.getByText('Queued “Reminder” to go out')).toHaveCount(0);
  await pane.getByRole('tab', { name: 'Robin' }).click();
  await expect(pane.getByText('Queued “Reminder” to go out')).toBeVisible();

  // the clock is dragged: the way lights up no further than he has come
  const slider = page.getByRole('slider', { name: 'Time of the rehearsal' });
  await slider.fill('600');
  await expect(pane.getByText('Queued “Reminder” to go out')).toHaveCount(0);
  await page.setViewportSize({ width: 1280, height: 800 });
  await expectAccessible(page);
});

test('what came of a message stands in the results: its links, when it is opened, against the time before', async ({ page }) => {
  await signIn(page, '/flows/cart-left-behind');
  await page.getByRole('tab', { name: 'Results' }).click();
  const pane = page.getByRole('complementary', { name: 'Results' });
  await expect(pane.getByRole('row', { name: /^Entered/ })).toBeVisible();
  await page.getByRole('radio', { name: '90 days' }).click();
  await page
    .getByTestId('line-map')
    .getByRole('button', { name: /^Send Reminder/ })
    .click();
  const sent = pane.getByRole('row', { name: /^Sent/ }).getByRole('cell').first();
  await expect(sent).not.toHaveText('0');
  await expect(pane.getByRole('region', { name: 'Links' }).getByRole('listitem').first()).toContainText(/outside\/shop|…/);
  const bars = pane.getByRole('img', { name: /Openings by time since it went out/ });
  await bars.focus();
  await page.keyboard.press('ArrowRight');
  await expect(pane.getByText(/within the first hour$/)).toBeVisible();
  await page.getByLabel('Version').selectOption('1');
  await expect(sent).not.toHaveText('0');
});

test('the storyboard is printed on sheets on their side, and saved as one picture with all its words', async ({ page, request }) => {
  await cartFlow(request, 'on-the-wall');
  await signIn(page, '/flows/on-the-wall');
  await page.getByRole('button', { name: 'More acts' }).click();
  await page.getByRole('menuitem', { name: 'Storyboard, to print' }).click();
  const picture = page.getByRole('img', { name: /drawn against the time since entry/ });
  await expect(picture.getByText('100 and up')).toBeVisible();
  await expectAccessible(page);
  const [file] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Save as SVG' }).click()]);
  const svg = (await (await file.createReadStream()).toArray()).join('');
  expect(svg).toMatch(/^<svg xmlns="http:\/\/www\.w3\.org\/2000\/svg"/);
  // a picture that is taken along stands by itself
  expect(svg).not.toContain('var(--');
  await page.emulateMedia({ media: 'print' });
  await expect(page.getByRole('navigation', { name: 'Sections' })).toBeHidden();
  await expect(page.getByRole('button', { name: 'Print' })).toBeHidden();
  await expect(page.getByText('Send “Reminder”')).toBeVisible();
  const sheets = await page.pdf({ preferCSSPageSize: true });
  expect(sheets.toString('latin1')).toMatch(/\/MediaBox \[0 0 84[12](\.\d+)? 59[45]/);
});

test('a flow is changed while somebody is inside, who is moved and goes on by the new version', async ({ page, request }) => {
  const key = 'moved-on';
  const name = `Inge.${Date.now()}@example.com`;
  const letter = {
    id: 'letter',
    kind: 'send',
    name: 'Letter',
    message: {
      schema: 'viatic.message/1',
      channel: 'email',
      kind: 'service',
      subject: 'After the wait',
      preview: '',
      blocks: [{ id: 'b1', kind: 'text', text: 'Here it is.' }],
    },
  };
  const triggers = [{ id: 'start', kind: 'event', event: 'app.moved', key: 'visit' }];
  await api(request, 'PUT', `/flows/${key}`, {
    ...empty('Moved on'),
    triggers,
    steps: [{ id: 'long', kind: 'wait', for: 'PT1H' }, letter],
  });
  expect((await api(request, 'POST', `/flows/${key}/publish`)).status).toBe(200);
  await api(request, 'POST', '/events', {
    specversion: '1.0',
    id: name,
    source: 'test',
    type: 'app.moved',
    data: { visit: 'v1', person: { email: name } },
  });
  const inside = async () => (await api<{ people: unknown[] }>(request, 'GET', `/flows/${key}/inside`)).body.people.length;
  await expect.poll(inside).toBe(1);

  await signIn(page, `/flows/${key}`);
  const script = page.getByRole('navigation', { name: 'Script' });
  await script.getByRole('button', { name: 'Send “Letter”' }).click();
  await page.getByLabel('Subject').fill('By the new version');
  await saved(page, key);
  await page.getByRole('button', { name: 'Publish…' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByText('1 person is inside')).toBeVisible();
  await dialog.getByRole('radio', { name: /move to the new version/ }).check();
  await dialog.getByRole('button', { name: 'Publish version 2' }).click();
  await expect(page.getByText('Version 2 of “Moved on” is on.')).toBeVisible();
  await api(request, 'POST', '/clock', { advance: 'PT2H' });
  await expect
    .poll(async () => (await api<{ subject: string }[]>(request, 'GET', `/outside/api/mail?to=${name}`)).body.map(({ subject }) => subject))
    .toEqual(['By the new version']);
  // both versions stand in the history, what the second changed marked on the map
  await page.getByRole('tab', { name: 'History' }).click();
  await expect(
    page
      .getByRole('complementary', { name: 'History' })
      .getByText(/subject/i)
      .first(),
  ).toBeVisible();
});
