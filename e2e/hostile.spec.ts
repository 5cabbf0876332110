import { expect, test } from '@playwright/test';
import { api, base, signIn, someone } from './kit';

/** Runs where it is taken for HTML, in each of the ways a page could; `window.hit` tells. */
const BAD = `"'><img src=x onerror="window.hit='img'"><svg onload="window.hit='svg'"></svg>{{7*7}}`;
const BAD_LINK = `javascript:window.hit='link'`;

test('what strangers and colleagues write is text in every view, never a part of the page', async ({ page, request }) => {
  const email = someone('hostile');
  const send = async (event: object) => expect((await api(request, 'POST', '/events', event)).status).toBe(202);
  const person = { email, firstName: BAD, lastName: BAD, note: BAD, consent: { email: true } };
  await send({
    id: `${email}/1`,
    source: BAD,
    type: 'product.viewed',
    subject: email,
    data: { name: BAD, url: BAD_LINK, label: BAD.slice(3, 46), person },
  });
  await send({
    id: `${email}/2`,
    source: 'shop',
    type: 'cart.updated',
    subject: email,
    data: {
      cartId: BAD,
      currency: 'EUR',
      value: 20,
      checkoutUrl: BAD_LINK,
      items: [{ sku: BAD, name: BAD, quantity: 1, price: 20, url: BAD_LINK, image: BAD_LINK }],
    },
  });
  await send({
    id: `${email}/3`,
    source: 'shop',
    type: 'order.placed',
    subject: email,
    data: { orderId: BAD, currency: 'EUR', value: 20, items: [{ sku: BAD, name: BAD, quantity: 1, price: 20 }] },
  });

  // names that colleagues give
  const list = (await api<{ key: string }>(request, 'POST', '/lists', { name: BAD.slice(0, 80), about: BAD })).body.key;
  const source = await api<{ source: { key: string } }>(request, 'POST', '/sources', { kind: 'webhook', name: BAD.slice(0, 60) });
  expect([list.length > 0, source.status]).toEqual([true, 201]);
  await api(request, 'POST', `/people/${email}/tags`, { tag: BAD.slice(0, 60) });
  await api(request, 'POST', `/people/${email}/lists`, { list });
  await api(request, 'POST', `/people/${email}/events`, { type: 'note.taken', data: { text: BAD } });
  // a body that is refused is kept as it came
  expect(
    (await api<{ rejected: unknown[] }>(request, 'POST', '/events', { id: BAD, source: BAD, type: BAD, data: { person: { email: BAD } } }))
      .body.rejected,
  ).toHaveLength(1);
  const upload = await request.post(`${base()}/api/v1/uploads?name=${encodeURIComponent(`${BAD.slice(0, 60)}.csv`)}`, {
    headers: { authorization: 'Bearer demo-key' },
    data: Buffer.from(`email,${BAD.replaceAll('"', '')}\n${BAD.replaceAll('"', '')},${BAD.replaceAll('"', '')}\n`),
  });
  expect(upload.ok()).toBe(true);
  const { key } = (await upload.json()) as { key: string };
  const started = await api<{ id: string }>(request, 'POST', '/imports', {
    schema: 'viatic.import/1',
    kind: 'people',
    upload: key,
    name: BAD.slice(0, 120),
    format: { kind: 'csv', encoding: 'utf-8', delimiter: ',', hasHeader: true },
    columns: [{ index: 0, to: 'email' }],
  });
  expect(started.status).toBeLessThan(300);
  await expect
    .poll(async () => (await api<{ state: string; result: { bad: number } }>(request, 'GET', `/works/${started.body.id}`)).body)
    .toMatchObject({ state: 'done', result: { bad: 1 } });

  const problems: string[] = [];
  page.on('dialog', (dialog) => {
    problems.push(`dialog on ${page.url()}`);
    void dialog.dismiss();
  });
  await signIn(page);
  const at = encodeURIComponent(email);
  const views: [path: string, shows: boolean][] = [
    [`/people/${at}`, true],
    [`/people?q=${at}`, true],
    ['/people/lists', true],
    [`/people/lists/${list}`, true],
    ['/data', true],
    [`/data/sources/${source.body.source.key}`, true],
    ['/data/events', false],
    ['/data/events/product.viewed', true],
    ['/data/attributes', false],
    ['/data/files', true],
    [`/data/files/${started.body.id}`, true],
    [`/data/files/new?upload=${key}`, false],
    ['/data/forms', false],
    ['/data/consent', false],
    ['/data/merges', false],
    ['/revenue', false],
    ['/flows/cart-left-behind', false],
    [`/people/${at}/record`, false],
  ];
  for (const [path, shows] of views) {
    await page.goto(base() + path);
    await page.getByRole('main').or(page.locator('body')).first().waitFor();
    if (shows) await expect(page.getByText(`onerror="window.hit`).or(page.getByText('onerror=window.hit')).first(), path).toBeVisible();
    await page.waitForTimeout(400);
    const found = await page.evaluate(() => ({
      hit: (window as unknown as { hit?: string }).hit ?? null,
      parts: document.querySelectorAll('img[src="x"], svg[onload]').length,
      links: [...document.querySelectorAll('[href], [src], [action], [formaction]')].filter((one) =>
        ['href', 'src', 'action', 'formaction'].some((name) => /^\s*(javascript|data:text)/i.test(one.getAttribute(name) ?? '')),
      ).length,
    }));
    if (found.hit || found.parts || found.links) problems.push(`${path}: ${JSON.stringify(found)}`);
  }
  expect(problems).toEqual([]);

  // the time line opened to its content, and everything about them as a file
  await page.goto(`${base()}/people/${at}`);
  await page
    .getByText(/product\.viewed|Viewed/i)
    .first()
    .click();
  await page.waitForTimeout(400);
  expect(
    await page.evaluate(() => [
      (window as unknown as { hit?: string }).hit ?? null,
      document.querySelectorAll('img[src="x"], svg[onload], a[href^="javascript"]').length,
    ]),
  ).toEqual([null, 0]);
  const everything = await request.get(`${base()}/api/v1/people/${at}/everything`, { headers: { authorization: 'Bearer demo-key' } });
  expect(everything.headers()['content-type']).not.toMatch(/html/);
  expect(await everything.text()).toContain('{{7*7}}');
});

test('a message shows a hostile name as text, and does not take it for a part of the template', async ({ request }) => {
  const email = someone('hostile');
  await api(request, 'POST', '/events', {
    id: `${email}/1`,
    source: 'shop',
    type: 'page.viewed',
    subject: email,
    data: { person: { email, firstName: BAD, consent: { email: true } } },
  });
  expect(
    (
      await api(request, 'POST', `/people/${email}/letters`, {
        kind: 'marketing',
        subject: 'For you, {{ person.firstName }}',
        text: 'Hello {{ person.firstName }}',
      })
    ).status,
  ).toBe(204);
  let mail: { subject: string; text: string; html?: string } | undefined;
  await expect
    .poll(async () => {
      mail = (
        await api<{ subject: string; text: string; html?: string }[]>(request, 'GET', `/outside/api/mail?to=${encodeURIComponent(email)}`)
      ).body[0];
      return mail?.subject ?? null;
    })
    .not.toBeNull();
  expect(mail!.text).toContain('{{7*7}}');
  expect(mail!.text).not.toContain('49');
  expect(mail!.html ?? '').not.toMatch(/<img src=x|<svg onload/);
});
