import { expect, test, type APIRequestContext, type Browser, type Page } from '@playwright/test';
import { generateSync } from 'otplib';
import { base, expectAccessible, expectPagesAccessible, mailTo, signIn, someone } from './kit';
import { filled, routesOnDisk } from './routes';

const PASSWORD = 'seven herons paint a ladder';

/** Invites somebody and has them choose a password by the link in their mail; answers with a page on which they are signed in. */
async function joined(
  owner: Page,
  request: APIRequestContext,
  browser: Browser,
  role: string,
  name: string,
): Promise<{ page: Page; email: string }> {
  const email = someone(role);
  const made = await owner.request.post(`${base()}/api/v1/team`, { data: { email, name, role } });
  expect(made.status()).toBe(201);
  const mail = await mailTo(request, email, /asks you to work on/);
  const page = await (await browser.newContext()).newPage();
  await page.goto(mail.links.find((link) => link.includes('/join/'))!);
  await page.getByLabel('Password').fill(PASSWORD);
  await page.getByRole('button', { name: 'Save' }).click();
  await page.getByRole('link', { name: 'Sign in' }).click();
  await page.getByLabel('Email').fill(email);
  await page.getByLabel('Password').fill(PASSWORD);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.waitForURL(/\/today/);
  return { page, email };
}

test('somebody is invited, joins by the link in the mail, gets another role and is removed; the log tells of it', async ({
  page,
  request,
  browser,
}) => {
  await signIn(page, '/settings/team');
  await page.getByRole('button', { name: 'Invite…' }).click();
  const email = someone('ines');
  const name = `Ines ${Date.now()}`;
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Name').fill(name);
  await dialog.getByLabel('Email').fill(email);
  await dialog.getByLabel('Role').selectOption('analyst');
  await dialog.getByRole('button', { name: 'Invite' }).click();
  const row = page.getByRole('table', { name: 'Team' }).getByRole('row', { name: new RegExp(name) });
  await expect(row).toContainText('invited by Marla Quist');

  const mail = await mailTo(request, email, /Marla Quist asks you to work on Quillfin/);
  const theirs = await (await browser.newContext()).newPage();
  await theirs.goto(mail.links.find((link) => link.includes('/join/'))!);
  await theirs.getByLabel('Password').fill('password123456');
  await theirs.getByRole('button', { name: 'Save' }).click();
  await expect(theirs.getByRole('alert')).toContainText('too easily guessed');
  await expectAccessible(theirs);
  await theirs.getByLabel('Password').fill(PASSWORD);
  await theirs.getByRole('button', { name: 'Save' }).click();
  await theirs.getByRole('link', { name: 'Sign in' }).click();
  await theirs.getByLabel('Email').fill(email);
  await theirs.getByLabel('Password').fill(PASSWORD);
  await theirs.getByRole('button', { name: 'Sign in' }).click();
  await theirs.waitForURL(/\/today/);
  // an analyst reads, and is told why nothing is changed
  await theirs.goto(`${base()}/settings/sending`);
  await theirs.getByLabel('Keep a few people out of all marketing, to see what it brings').check();
  await expect(theirs.getByRole('button', { name: 'Save' }).first()).toBeDisabled();
  await expect(theirs.getByRole('note')).toContainText('Your role is analyst, who reads everything');
  await theirs.goto(`${base()}/settings/team`);
  await expect(theirs.getByText('Only an owner says who works here.')).toBeVisible();
  await expect(theirs.getByRole('button', { name: 'Invite…' })).toBeHidden();

  // another role holds from their next request on
  await page.reload();
  await expect(async () => {
    // what is chosen before the page has come to life is lost
    await page.getByLabel(`Role of ${name}`).selectOption('editor');
    await expect(page.getByText(`${name} is editor now.`)).toBeVisible({ timeout: 10_000 });
  }).toPass();
  const made = await theirs.request.post(`${base()}/api/v1/lists`, { data: { name: `List of ${name}` } });
  expect(made.status()).toBeLessThan(300);
  await page.getByRole('button', { name: `Remove ${name}` }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Remove' }).click();
  await expect(row).toBeHidden();
  await theirs.goto(`${base()}/today`);
  await expect(theirs).toHaveURL(/\/sign-in/);
  await theirs.context().close();

  await page.goto(`${base()}/settings/log`);
  const log = page.getByRole('table', { name: 'Log' });
  await page.getByLabel('What', { exact: true }).selectOption('team');
  await page.getByLabel('With the words').fill(email);
  await expect(log.getByRole('row', { name: /team: removed/ })).toBeVisible();
  await expect(log.getByRole('row', { name: /team: role/ })).toContainText('role analyst → editor');
  // of one day alone, and not of the one before it began
  await page.getByLabel('To', { exact: true }).fill('2026-01-01');
  await expect(page.getByText('Nothing like this was done')).toBeVisible();
  await page.getByLabel('To', { exact: true }).fill('');
  const file = await page.request.get(`${base()}/api/v1/acts/file?what=team`);
  expect(await file.text()).toMatch(/^at,actor,what,detail,changes\n/);
  await expectPagesAccessible(page, ['/settings/team', '/settings/log', '/account']);
});

test('a second factor is set up, asked for when signing in, and turned off; a forgotten password is chosen anew', async ({
  page,
  request,
  browser,
}) => {
  await signIn(page);
  const { page: theirs, email } = await joined(page, request, browser, 'editor', 'Tom');
  await theirs.goto(`${base()}/account`);
  await theirs.getByRole('button', { name: 'Set up…' }).click();
  const secret = (await theirs.getByTestId('totp-secret').textContent())!.trim();
  await theirs.getByLabel('The code it shows').fill(generateSync({ secret }));
  await theirs.getByRole('button', { name: 'Turn on' }).click();
  const list = theirs.getByTestId('recovery-codes').getByRole('listitem');
  await expect(list).toHaveCount(10);
  const codes = await list.allTextContents();
  await theirs.context().clearCookies();
  await theirs.goto(`${base()}/sign-in`);
  await theirs.getByLabel('Email').fill(email);
  await theirs.getByLabel('Password').fill(PASSWORD);
  await theirs.getByRole('button', { name: 'Sign in' }).click();
  await theirs.getByLabel('Code').fill('000000');
  await theirs.getByRole('button', { name: 'Sign in' }).click();
  await expect(theirs.getByText(/That code is not right/)).toBeVisible();
  await expectAccessible(theirs);
  await theirs.getByLabel('Code').fill(codes[0]!);
  await theirs.getByRole('button', { name: 'Sign in' }).click();
  await theirs.waitForURL(/\/today/);
  await theirs.goto(`${base()}/account`);
  await expect(theirs.getByText(/9 codes for when the device is lost are left/)).toBeVisible();
  await theirs.getByLabel('A code, to turn it off').fill(codes[1]!);
  await theirs.getByRole('button', { name: 'Turn off' }).click();
  await expect(theirs.getByRole('button', { name: 'Set up…' })).toBeVisible();

  await theirs.context().clearCookies();
  await theirs.goto(`${base()}/sign-in`);
  await theirs.getByRole('link', { name: 'Forgot your password?' }).click();
  await theirs.getByLabel('Email').fill(email);
  await theirs.getByRole('button', { name: 'Send the link' }).click();
  await expect(theirs.getByRole('heading', { name: 'Look into your mail' })).toBeVisible();
  const mail = await mailTo(request, email, /Another password for/);
  await theirs.goto(mail.links.find((link) => link.includes('/join/'))!);
  await theirs.getByLabel('Password').fill('nine lamps under the harbour');
  await theirs.getByRole('button', { name: 'Save' }).click();
  await theirs.getByRole('link', { name: 'Sign in' }).click();
  await theirs.getByLabel('Email').fill(email);
  await theirs.getByLabel('Password').fill('nine lamps under the harbour');
  await theirs.getByRole('button', { name: 'Sign in' }).click();
  await theirs.waitForURL(/\/today/);
  await theirs.context().close();
});

test('an owner asks everybody for a second factor: who has none gets nothing but their account until they do', async ({
  page,
  request,
  browser,
}) => {
  await signIn(page);
  const setUp = async (one: Page) => {
    await one.goto(`${base()}/account`);
    await one.getByRole('button', { name: 'Set up…' }).click();
    const secret = (await one.getByTestId('totp-secret').textContent())!.trim();
    await one.getByLabel('The code it shows').fill(generateSync({ secret }));
    await one.getByRole('button', { name: 'Turn on' }).click();
    await expect(one.getByTestId('recovery-codes').getByRole('listitem')).toHaveCount(10);
  };
  const { page: owner } = await joined(page, request, browser, 'owner', 'Olga');
  const { page: theirs } = await joined(page, request, browser, 'analyst', 'Ugo');
  const how = owner.getByRole('region', { name: 'Signing in' });
  const ask = async () => {
    await owner.goto(`${base()}/settings/team`);
    await how.getByLabel('Ask everybody for a second factor or a passkey').click();
    await expect(owner.getByRole('dialog')).toContainText(/Olga.* have none: until they set one up, their own account is all they get/);
    await owner.getByRole('button', { name: 'Ask for it' }).click();
  };
  await ask();
  await expect(owner.getByText('Set up a second factor or a passkey on your own account first')).toBeVisible();
  await setUp(owner);
  await owner.goto(`${base()}/settings/team`);
  await how.getByLabel('Ask everybody for a second factor or a passkey').click();
  await expect(owner.getByRole('dialog')).toContainText(/Ugo/);
  await expectAccessible(owner);
  await owner.getByRole('button', { name: 'Ask for it' }).click();
  try {
    await expect(how.getByLabel('Ask everybody for a second factor or a passkey')).toBeChecked();
    await theirs.goto(`${base()}/flows`);
    await expect(theirs).toHaveURL(`${base()}/account`);
    await expect(theirs.getByText(/Everybody here signs in with a second factor or a passkey/)).toBeVisible();
    await expectAccessible(theirs);
    for (const path of ['/flows', '/team']) {
      const refused = await theirs.request.get(`${base()}/api/v1${path}`);
      expect([refused.status(), await refused.text()]).toEqual([403, expect.stringContaining('Set one up on your account first')]);
    }
    await setUp(theirs);
    await theirs.getByRole('link', { name: 'Go on to Today' }).click();
    await expect(theirs.getByRole('heading', { name: 'Today' })).toBeVisible();
    await owner.reload();
    await expect(owner.getByRole('row', { name: /Ugo/ }).getByText('password and code')).toBeVisible();
    await how.getByLabel('Everybody signs in again after').selectOption('12 hours');
    await expect(owner.getByText('Everybody signs in again after 12 hours.')).toBeVisible();
    await theirs.goto(`${base()}/account`);
    await expect(theirs.getByText('A session lasts 12 hours')).toBeVisible();
  } finally {
    // everybody else tests as somebody without one
    await owner.request.put(`${base()}/api/v1/team/signing-in`, { data: { hours: 336, second: false }, headers: { origin: base() } });
  }
  expect((await page.request.get(`${base()}/api/v1/flows`)).status()).toBe(200);
});

test('a passkey is added with the password, signs in by itself, and does so no more once it is removed', async ({
  page,
  request,
  browser,
}) => {
  await signIn(page);
  const { page: theirs, email } = await joined(page, request, browser, 'editor', 'Tova');
  // a device that knows its owner, made up by the browser
  const device = await theirs.context().newCDPSession(theirs);
  await device.send('WebAuthn.enable');
  await device.send('WebAuthn.addVirtualAuthenticator', {
    options: {
      protocol: 'ctap2',
      transport: 'internal',
      hasResidentKey: true,
      hasUserVerification: true,
      isUserVerified: true,
      automaticPresenceSimulation: true,
    },
  });
  await theirs.goto(`${base()}/account`);
  await theirs.getByRole('button', { name: 'Add…' }).click();
  const dialog = theirs.getByRole('dialog');
  await dialog.getByLabel('Name of the device').fill('Desk');
  await dialog.getByLabel('Present password').fill('not this one');
  await dialog.getByRole('button', { name: 'Add' }).click();
  await expect(dialog.getByText(/is not your present password/)).toBeVisible();
  await expectAccessible(theirs, { part: '[role="dialog"]' });
  await dialog.getByLabel('Present password').fill(PASSWORD);
  await dialog.getByRole('button', { name: 'Add' }).click();
  await expect(theirs.getByText(/Desk since .*, not used yet/)).toBeVisible();
  expect((await mailTo(request, email, /A passkey for .* was added/)).text).toContain('without a password');

  await theirs.context().clearCookies();
  await theirs.goto(`${base()}/sign-in`);
  await theirs.getByRole('button', { name: 'Use a passkey' }).click();
  await theirs.waitForURL(/\/today/);
  await theirs.goto(`${base()}/account`);
  await expect(theirs.getByText(/Desk since .*, last used/)).toBeVisible();
  await expectAccessible(theirs);
  await theirs.getByRole('button', { name: 'Remove…' }).click();
  await dialog.getByRole('button', { name: 'Remove' }).click();
  await expect(theirs.getByText(/Desk since/)).toBeHidden();
  await theirs.context().clearCookies();
  await theirs.goto(`${base()}/sign-in`);
  await theirs.getByRole('button', { name: 'Use a passkey' }).click();
  await expect(theirs.getByText(/not on file here/)).toBeVisible();
  await page.goto(`${base()}/settings/log`);
  await expect(page.getByRole('cell', { name: 'passkey: removed' }).first()).toBeVisible();
  await theirs.context().close();
});

test('a colleague is named in a comment, hears of it at the bell and by mail, and settles it', async ({ page, request, browser }) => {
  await signIn(page);
  const { page: theirs, email } = await joined(page, request, browser, 'analyst', 'Nadia Voss');
  await page.goto(`${base()}/flows/first-order`);
  await page.getByRole('button', { name: /^Comments/ }).click();
  await page.getByLabel('Your comment').fill('Is this still right, @Nad');
  await page.getByRole('button', { name: 'Nadia Voss' }).click();
  await expect(page.getByLabel('Your comment')).toHaveValue('Is this still right, @Nadia Voss ');
  await page.getByRole('button', { name: 'Comment', exact: true }).click();
  await expect(page.getByRole('dialog').getByText('Is this still right, @Nadia Voss')).toBeVisible();
  await expectAccessible(page, { part: '[role="dialog"]' });
  expect((await mailTo(request, email, /names you/)).text).toContain('Is this still right');

  await theirs.goto(`${base()}/today`);
  await theirs.getByRole('button', { name: 'What you were told of: 1 new' }).click();
  await theirs.getByRole('menuitem', { name: /names you at/ }).click();
  await theirs.waitForURL(/\/flows\/first-order/);
  await expect(theirs.getByRole('button', { name: 'What you were told of', exact: true })).toBeVisible();
  await theirs.getByRole('button', { name: /^Comments, \d+ open/ }).click();
  await theirs.getByRole('button', { name: 'Settle' }).last().click();
  await expect(theirs.getByText('settled by Nadia Voss')).toBeVisible();
  await expect(theirs.getByRole('dialog').getByRole('button', { name: 'Edit' })).toHaveCount(0);
  await theirs.keyboard.press('Escape');
  // who reads here is told so before they try, and what they try changes nothing
  await expect(theirs.getByRole('note')).toContainText('You read here. Your role is analyst');
  await expect(theirs.getByRole('button', { name: 'Publish…' })).toBeDisabled();
  await theirs
    .getByRole('navigation', { name: 'Script' })
    .getByRole('button', { name: /^Send “/ })
    .first()
    .click();
  const name = theirs.getByLabel('Name of this message');
  const was = await name.inputValue();
  await name.press('X');
  await expect(theirs.getByText(/Ask an owner of the store for another role/).last()).toBeVisible();
  await expect(name).toHaveValue(was);
  await theirs.goto(`${base()}/flows`);
  const make = theirs.getByRole('button', { name: 'New flow' });
  await expect(make).toBeDisabled();
  await expect(make).toHaveAttribute('title', /Your role is analyst/);
  await expectAccessible(theirs);
  await theirs.goto(`${base()}/revenue`);
  await expect(theirs.getByRole('heading', { name: 'Revenue' }).first()).toBeVisible();
  await expect(theirs.getByRole('note')).toHaveCount(0);
  // and not by mail any more
  await theirs.goto(`${base()}/account`);
  await theirs.getByLabel('Somebody names you in a comment').selectOption('here');
  await expect(theirs.getByText('Saved.')).toBeVisible();
  await expectAccessible(theirs);
  await theirs.context().close();
});

/** What is asked of others than its method tells. */
const COMPUTES = new Set(
  [
    'flows/{key}/rehearse',
    'flows/{key}/presence',
    'rules/say',
    'rules/explain',
    'rules/count',
    'rules/reach',
    'codes/check',
    'messages/render',
  ].map((path) => `POST /api/v1/${path}`),
);
const OWN =
  /^(GET|PUT|POST|DELETE) \/api\/v1\/(account|account\/sessions|account\/second|account\/passkeys|account\/passkeys\/\{id\}|account\/notified|notices|team)$/;
/** Who may do what, by address: the first line that fits counts. */
function allowed(id: string, method: string): string[] {
  const path = id.split(' ')[1]!;
  if (method === 'GET' || COMPUTES.has(id)) return ['editor', 'writer', 'analyst'];
  if (/\/api\/v1\/team/.test(path)) return [];
  if (OWN.test(id)) return ['editor', 'writer', 'analyst'];
  if (/\/api\/v1\/(reports|views|comments)(\/|$)/.test(path)) return ['editor', 'writer', 'analyst'];
  if (/\/api\/v1\/(messages|files)(\/|$)/.test(path)) return ['editor', 'writer'];
  return ['editor'];
}

test('every route for every role: what it may not do is refused, and nothing else is', async ({ page, request, browser }) => {
  await signIn(page);
  const table = routesOnDisk()
    .filter(({ path }) => path.startsWith('/api/v1/') && !['/api/v1/health', '/api/v1/openapi.json'].includes(path))
    .flatMap(({ path, methods }) => methods.map((method) => ({ id: `${method} ${path}`, method, path })))
    // time is left where it is, and the own sessions go on; what a draft of a writer may change is tried elsewhere
    .filter(({ id }) => !['POST /api/v1/clock', 'DELETE /api/v1/account/sessions', 'PUT /api/v1/flows/{key}'].includes(id));
  expect(table.length).toBeGreaterThan(200);
  for (const role of ['editor', 'writer', 'analyst']) {
    const { page: theirs } = await joined(page, request, browser, role, `One ${role}`);
    const wrong: string[] = [];
    for (const { id, method, path } of table) {
      const answer = await theirs.request.fetch(base() + filled(path, {}, 'none'), {
        method,
        maxRedirects: 0,
        ...(method === 'GET' ? {} : { data: {}, headers: { origin: base() } }),
      });
      const isRefused = answer.status() === 403 && (await answer.text()).includes('Not for your role');
      if (isRefused === allowed(id, method).includes(role)) wrong.push(`${role}: ${id} ${answer.status()}`);
      if (answer.status() >= 500) wrong.push(`${role}: ${id} ${answer.status()}`);
    }
    expect(wrong).toEqual([]);
    await theirs.context().close();
  }
});
