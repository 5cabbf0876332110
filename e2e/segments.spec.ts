import { expect, test, type Page } from '@playwright/test';
import { api, base, expectAccessible, signIn, someone } from './kit';

interface Counted {
  count: number;
  narrowing: { count: number }[];
}
interface Segment {
  size: number | null;
  says: string;
  document: { rule: unknown };
  isBuilding: boolean;
}
const left = async (page: Page) => (await page.getByTestId('left').allTextContents()).map((text) => Number(text.replace(/\D/g, '')));

test('a segment is written by typing, each word changed in place, undone, counted as it grows, and kept from then on', async ({
  page,
  request,
}) => {
  await signIn(page, '/people/segments/new');
  const add = page.getByRole('combobox', { name: 'Add a condition', exact: true });
  await add.fill('ordered 2');
  await page.getByRole('option', { name: /has placed an order at least twice/ }).click();
  await expect(page.getByRole('listitem', { name: 'has placed an order at least twice' })).toBeVisible();

  // words are fields: the number, and when
  await page.getByLabel('Times', { exact: true }).fill('1');
  await page.getByLabel('When').selectOption({ label: 'in the last' });
  await page.getByLabel('How long, amount').fill('60');
  const line = page.getByRole('listitem', { name: 'has placed an order in the last 60 days' });
  await expect(line).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('listitem', { name: 'has placed an order in the last 30 days' })).toBeVisible();
  await page.keyboard.press('Control+Shift+z');
  await expect(line).toBeVisible();

  // a group with a value of the catalogue, and one that nobody has
  await add.fill('any of');
  await page.keyboard.press('Enter');
  const inGroup = page.getByRole('combobox', { name: 'Add a condition to “any of”' });
  await inGroup.fill('country NL');
  await page
    .getByRole('option', { name: /country is “NL”/ })
    .first()
    .click();
  await inGroup.fill('country BE');
  await page
    .getByRole('option', { name: /country is “BE”/ })
    .first()
    .click();
  await page.getByLabel('Value').last().fill('Belgum');
  await expect(page.getByText('Nobody’s country is “Belgum”.')).toBeVisible();
  await page.getByRole('button', { name: /^Take “BE”/ }).click();

  const rule = {
    all: [
      { test: 'did', event: 'order.placed', times: 1, since: { last: 'P60D' } },
      { any: [{ test: 'attribute', name: 'country', op: 'is', value: 'NL' }, expect.objectContaining({ op: 'oneOf' }) as unknown] },
    ],
  };
  await expect(async () => expect(await left(page)).toHaveLength(3)).toPass();
  const [everybody, ordering, both] = await left(page);
  expect(everybody).toBeGreaterThan(ordering!);
  expect(ordering).toBeGreaterThanOrEqual(both!);

  await page.getByRole('button', { name: 'Create' }).click();
  await expect(page.getByText('Name must not be empty')).toBeVisible();
  await page.getByLabel('Name', { exact: true }).fill('Near and lately');
  await page.getByRole('button', { name: 'Create' }).click();
  await expect(page.getByRole('heading', { name: 'Near and lately' })).toBeVisible();
  await expect(page.getByTestId('sentence')).toContainText('Everybody who has placed an order in the last 60 days and');
  const read = async () => (await api<Segment>(request, 'GET', '/segments/near-and-lately')).body;
  await expect.poll(async () => (await read()).isBuilding).toBe(false);
  const stored = await read();
  expect(stored.document.rule).toEqual(rule);
  const counted = (await api<Counted>(request, 'POST', '/rules/count', { rule: stored.document.rule })).body;
  expect(stored.size).toBe(counted.count);
  expect(counted.narrowing.map(({ count }) => count)).toEqual([ordering, both]);

  // somebody orders: they join at once, with the cause
  const email = someone('near');
  await api(request, 'POST', '/events', {
    id: `order ${email}`,
    source: 'test',
    type: 'order.placed',
    data: { orderId: email, currency: 'EUR', value: 20, person: { email, country: 'NL' } },
  });
  const moves = page.getByRole('list', { name: 'Joined and left lately' });
  await expect(moves.getByText(email)).toBeVisible();
  await expect(moves.getByText('placed an order').first()).toBeVisible();
  await moves.getByRole('link').first().click();
  await expect(page.getByText(/^since .*: placed an order$/).first()).toBeVisible();
  await page.goBack();

  // its opposite, and a list of who is in it
  await page.getByRole('button', { name: 'More' }).click();
  await page.getByRole('menuitem', { name: 'Make the opposite' }).click();
  await expect(page.getByLabel('Name', { exact: true })).toHaveValue('Not: Near and lately');
  await page.getByRole('button', { name: 'Create' }).click();
  await expect(page.getByRole('heading', { name: 'Not: Near and lately' })).toBeVisible();
  await expect.poll(async () => (await api<Segment>(request, 'GET', '/segments/not-near-and-lately')).body.size).not.toBeNull();
  const [one, other] = [await read(), (await api<Segment>(request, 'GET', '/segments/not-near-and-lately')).body];
  const people = (await api<{ total: number }>(request, 'GET', '/people?limit=0')).body.total;
  expect(one.size! + other.size!).toBe(people);
  await page.goto(`${base()}/people/segments/near-and-lately`);
  await page.getByRole('button', { name: 'More' }).click();
  await page.getByRole('menuitem', { name: 'Make a list of who is in it now' }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Create' }).click();
  await expect(page.getByText(/people are on it|person is on it/)).toBeVisible();

  // archived and brought back
  await page.goto(`${base()}/people/segments/not-near-and-lately`);
  await page.getByRole('button', { name: 'More' }).click();
  await page.getByRole('menuitem', { name: 'Archive' }).click();
  await expect(page.getByRole('link', { name: 'Not: Near and lately' })).toBeHidden();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByRole('link', { name: 'Not: Near and lately' })).toBeVisible();
});

test('the whole editor by keyboard alone: adding, walking, turning round, moving, copying, taking out, why not', async ({ page }) => {
  await signIn(page, '/people/segments/new');
  const press = (key: string) => page.keyboard.press(key);
  const lines = async () => page.locator('[data-line]').evaluateAll((all) => all.map((one) => one.getAttribute('aria-label')));
  const add = page.getByRole('combobox', { name: 'Add a condition', exact: true });
  await add.focus();
  for (const [words, meant] of [
    ['clicked', 'has clicked a message'],
    ['helper', 'has the tag helper'],
    ['email', 'can be emailed'],
  ] as const) {
    await page.keyboard.type(words);
    await expect(page.getByRole('listbox').getByRole('option').first()).toContainText(meant);
    await press('Enter');
  }
  await expect(page.locator('[data-line]')).toHaveCount(3);
  expect(await lines()).toEqual(['has clicked a message', 'has the tag helper', 'can be emailed']);
  await page.locator('[data-line="2"]').focus();
  await press('Alt+ArrowUp');
  await press('Alt+ArrowUp');
  expect(await lines()).toEqual(['can be emailed', 'has clicked a message', 'has the tag helper']);
  await expect(page.locator('[data-line="0"]')).toBeFocused();
  await press('n');
  expect(await lines()).toEqual(['cannot be emailed', 'has clicked a message', 'has the tag helper']);
  await press('ArrowDown');
  await press('d');
  expect(await lines()).toHaveLength(4);
  await press('Delete');
  await press('Control+z');
  await press('Control+Shift+z');
  expect(await lines()).toEqual(['cannot be emailed', 'has clicked a message', 'has the tag helper']);

  // a word that is found by typing
  await page.locator('[data-line="1"]').focus();
  await page
    .locator('[data-line="1"]')
    .getByRole('button', { name: /^Event/ })
    .focus();
  await press('Enter');
  await page.keyboard.type('viewed a product');
  await press('Enter');
  expect((await lines())[1]).toBe('has viewed a product');

  // a rule that was copied is pasted where a condition is typed
  await add.focus();
  await page.evaluate(() => {
    const data = new DataTransfer();
    data.setData('text/plain', JSON.stringify({ none: [{ test: 'tag', tag: 'vip', has: true }] }));
    document.activeElement!.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
  });
  expect(await lines()).toEqual(['cannot be emailed', 'has viewed a product', 'has the tag helper', 'none of', 'has the tag vip']);

  await page.getByLabel('Why, or why not, for one person').focus();
  await page.keyboard.type('sander.demo');
  await expect(page.getByTestId('why')).toContainText('does not match');
  await expect(page.getByTestId('why').getByLabel('does not hold').first()).toBeVisible();
  await expectAccessible(page);
});

test('a line is dragged to another place; ready-made segments are added; they stand beside lists and filter the table', async ({
  page,
}) => {
  await signIn(page, '/people/segments');
  await expect(page.getByRole('link', { name: 'Lapsed', exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Ready-made…' }).click();
  await expect(page.getByRole('dialog').getByText('is there').first()).toBeVisible();
  await page.keyboard.press('Escape');

  await page.goto(`${base()}/people/segments/asleep`);
  await page.getByRole('button', { name: 'Change' }).click();
  const lines = page.locator('[data-line]');
  await expect(lines.first()).toHaveAttribute('aria-label', /received a message at least 3 times/);
  await lines
    .nth(1)

    .getByTestId('grip')
    .dragTo(lines.first());
  await expect(lines.first()).toHaveAttribute('aria-label', /has not opened/);
  await page.getByRole('button', { name: 'Cancel' }).click();
  await expect(page.getByTestId('sentence')).toContainText('has received a message at least 3 times');

  await page.goto(`${base()}/people`);
  const beside = page.getByRole('navigation', { name: 'Views and lists' });
  const entry = beside.getByRole('button', { name: /^Lapsed/ });
  const size = Number((await entry.textContent())!.replace(/\D/g, ''));
  await entry.click();
  await expect(page.getByText('Everyone who is in the segment lapsed')).toBeVisible();
  await expect(page.getByTestId('people-count')).toHaveText(new RegExp(`^${size.toLocaleString('en')} p`));
  // what is filtered by is one rule, which goes on in the editor
  await page.getByRole('button', { name: 'Change', exact: true }).click();
  const conditions = page.getByRole('dialog');
  await conditions.getByRole('combobox', { name: 'Add a condition', exact: true }).fill('email');
  await page.getByRole('option', { name: /can be emailed/ }).click();
  await conditions.getByRole('button', { name: 'Filter' }).click();
  await expect(page.getByText('Everyone who is in the segment lapsed and can be emailed')).toBeVisible();
  await page.getByRole('link', { name: 'As a segment' }).click();
  await expect(page.getByRole('listitem', { name: 'is in the segment lapsed' })).toBeVisible();
});

test('more is asked of an event: the last, what then came, at which times; a group has a name; each by its words', async ({ page }) => {
  await signIn(page, '/people/segments/new');
  const add = page.getByRole('combobox', { name: 'Add a condition', exact: true });
  const first = page.locator('[data-line="0"]');
  const label = () => first.getAttribute('aria-label');
  const more = async (name: string) => {
    await first.getByRole('button', { name: 'Ask more of it' }).click();
    await page.getByRole('menuitem', { name, exact: true }).click();
  };
  await add.fill('received a message');
  await page
    .getByRole('option', { name: /^has received a message/ })
    .first()
    .click();
  await more('Only the first or the last');
  await first.getByLabel('How many of them').fill('3');
  expect(await label()).toBe('has received a message, of the last 3');
  await more('And then …');
  await first.getByRole('button', { name: /^What followed/ }).click();
  await page
    .getByRole('option', { name: /opened a message/ })
    .first()
    .click();
  await first.getByLabel('Whether that followed').selectOption({ label: 'has not' });
  await first.getByLabel('About the same thing').selectOption({ label: 'the same message' });
  await more('So many times');
  await first.getByLabel('How often').selectOption({ label: 'exactly' });
  await first.getByLabel('Times', { exact: true }).fill('3');
  expect(await label()).toBe('has received a message, of the last 3, and then not opened a message (the same message), exactly 3 times');
  await more('At certain times of the week');
  await first.getByRole('button', { name: 'Sat' }).click();
  await first.getByRole('button', { name: 'between hours …' }).click();
  await first.getByLabel('From', { exact: true }).fill('08:30');
  expect(await label()).toContain(' on a Monday, Tuesday, Wednesday, Thursday, Friday or Saturday between 08:30 and 17:00');
  await first.getByRole('button', { name: 'at any time' }).click();
  await first.getByRole('button', { name: 'Ask more of what followed' }).click();
  await page.getByRole('menuitem', { name: 'Within a time' }).click();
  expect(await label()).toContain('within 1 day');
  // which person each part holds for stands beside it
  await expect(page.getByRole('table', { name: 'Some of them, and whether each part holds' })).toBeVisible();

  // how and where consent was given, by its words
  await add.fill('agreed checkout');
  await page
    .getByRole('option', { name: /^has agreed to email/ })
    .first()
    .click();
  const agreed = page.locator('[data-line="1"]');
  await agreed.getByRole('button', { name: 'where …' }).click();
  await agreed.getByLabel('How', { exact: true }).last().selectOption({ label: 'is known' });
  await agreed.getByRole('button', { name: 'since when …' }).click();
  expect(await agreed.getAttribute('aria-label')).toBe(
    'has agreed to email (how contains “checkout”, where is known) more than 30 days ago',
  );

  await add.fill('any of');
  await page.keyboard.press('Enter');
  await page.getByLabel('Name of “any of”').fill('Near us');
  await page.getByRole('combobox', { name: 'Add a condition to “any of”' }).fill('EEA');
  await page
    .getByRole('option', { name: /in the EEA/ })
    .first()
    .click();
  await expect(page.getByRole('listitem', { name: 'Near us' })).toBeVisible();
  await page.getByLabel('Name', { exact: true }).fill('Slept through, near us');
  await page.getByLabel('Tags').fill('winter, letters');
  await page.getByLabel('Owner').fill('Marla');
  await page.getByRole('button', { name: 'Create' }).click();
  await expect(page.getByTestId('sentence')).toContainText('“Near us” (whose country is in the EEA)');
  await expect(page.getByText('Owner: Marla · “winter”, “letters”')).toBeVisible();

  // a flow that starts as somebody joins, as a draft
  await page.getByRole('button', { name: 'More', exact: true }).click();
  await page.getByRole('menuitem', { name: 'Start a flow as people join' }).click();
  await expect(page).toHaveURL(/\/flows\/joins-/);
  await expect(page.getByText(/joined a segment/).first()).toBeVisible();

  // and one that writes to them once, tomorrow
  await page.goBack();
  await page.getByRole('button', { name: 'More', exact: true }).click();
  await page.getByRole('menuitem', { name: 'Write to them' }).click();
  await expect(page).toHaveURL(/\/flows\/letter-/);
  await expect(page.getByRole('navigation', { name: 'Script' }).getByText(/at 10:00, everybody who is in the segment/)).toBeVisible();
  await expect(page.getByRole('navigation', { name: 'Script' }).getByText('Send “New message”')).toBeVisible();
});
