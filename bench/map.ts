import { chromium, type Page } from '@playwright/test';

/**
 * The flow screen in a browser: a flow of 200 stops is opened, zoomed and one of its stops dragged; frames are timed, and the scripts
 * that the screen loads are weighed. Floors: the same movements over a page that does nothing; the scripts of the table of flows.
 */
const BASE = process.env.VIATIC_URL!;
const STOPS = 200;
const quantile = (all: readonly number[], q: number) =>
  [...all].sort((a, b) => a - b)[Math.min(all.length - 1, Math.floor(all.length * q))]!;
const ms = (value: number) => `${value.toFixed(1)} ms`;

const steps = () =>
  Array.from({ length: STOPS / 8 }, (_, n) => [
    { id: `w${n}`, kind: 'wait', for: 'P1D' },
    letter(`m${n}`),
    {
      id: `b${n}`,
      kind: 'branch',
      name: `Branch ${n}`,
      arms: [
        {
          id: `b${n}-a`,
          name: 'Large',
          when: { test: 'trigger', property: 'value', op: 'atLeast', value: 100 },
          steps: [letter(`a${n}`), idea(`x${n}`)],
        },
        { id: `b${n}-b`, name: 'Small', when: null, steps: [letter(`c${n}`), idea(`y${n}`)] },
      ],
    },
    idea(`z${n}`),
  ]).flat();
const idea = (id: string) => ({ id, kind: 'idea', text: `Idea ${id}` });
const letter = (id: string) => ({
  id,
  kind: 'send',
  name: `Letter ${id}`,
  message: { schema: 'viatic.message/1', channel: 'email', kind: 'marketing', subject: id, preview: '', blocks: [] },
});

/** How long frames take while something is done, in milliseconds: from one to the next. */
async function framesOf(page: Page, act: () => Promise<void>): Promise<number[]> {
  await page.evaluate(() => {
    const frames: number[] = [];
    let last = performance.now();
    const next = (now: number) => {
      frames.push(now - last);
      last = now;
      (window as unknown as { frame: number }).frame = requestAnimationFrame(next);
    };
    (window as unknown as { frames: number[] }).frames = frames;
    requestAnimationFrame(next);
  });
  await act();
  return page.evaluate(() => {
    cancelAnimationFrame((window as unknown as { frame: number }).frame);
    return (window as unknown as { frames: number[] }).frames.slice(2);
  });
}
/** How long the page itself works at each movement, in milliseconds: script, style, layout and painting until the next frame. */
async function workOf(page: Page, act: () => Promise<void>): Promise<number> {
  const session = await page.context().newCDPSession(page);
  await session.send('Performance.enable');
  const read = async () => {
    const { metrics } = (await session.send('Performance.getMetrics')) as { metrics: { name: string; value: number }[] };
    return metrics.find(({ name }) => name === 'TaskDuration')!.value * 1000;
  };
  const before = await read();
  await act();
  return (await read()) - before;
}

const MOVES = 60;
async function drag(page: Page, from: { x: number; y: number }): Promise<void> {
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  for (let n = 1; n <= MOVES; n++) await page.mouse.move(from.x + n * 2, from.y);
  await page.keyboard.press('Escape');
  await page.mouse.up();
}
async function zoom(page: Page, at: { x: number; y: number }): Promise<void> {
  await page.mouse.move(at.x, at.y);
  await page.keyboard.down('Control');
  for (let n = 0; n < MOVES; n++) await page.mouse.wheel(0, n < MOVES / 2 ? 12 : -12);
  await page.keyboard.up('Control');
}
const scriptsOf = (page: Page) =>
  page.evaluate(() =>
    performance
      .getEntriesByType('resource')
      .filter((one) => one.name.includes('.js'))
      .reduce((sum, one) => sum + (one as PerformanceResourceTiming).encodedBodySize, 0),
  );

async function main(): Promise<void> {
  await fetch(`${BASE}/api/v1/flows/bench-map`, {
    method: 'PUT',
    headers: { authorization: 'Bearer demo-key', 'content-type': 'application/json' },
    body: JSON.stringify({
      schema: 'viatic.flow/1',
      name: 'Bench',
      triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' }],
      entry: null,
      stay: null,
      reentry: 'once-per-key',
      goal: null,
      steps: steps(),
    }),
  });
  const browser = await chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-sync'],
  });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  // what runs this program marks functions with their names, the pages know nothing of that
  await page.addInitScript('globalThis.__name = (one) => one');
  await page.goto(`${BASE}/sign-in`);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('heading', { name: 'Flows' }).waitFor();
  await page.waitForLoadState('networkidle');
  const table = await scriptsOf(page);

  const opens: number[] = [];
  for (let n = 0; n < 5; n++) {
    const began = Date.now();
    await page.goto(`${BASE}/flows/bench-map`);
    await page.locator('[data-stop="m0"]').waitFor();
    opens.push(Date.now() - began);
  }
  await page.waitForTimeout(1500);
  const screen = await scriptsOf(page);
  const stops = await page.locator('button[data-stop]').count();
  const box = (await page.locator('[data-stop="m0"]').boundingBox())!;
  const at = { x: box.x + box.width / 2, y: box.y + box.height / 2 };

  const bare = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
  await bare.setContent('<p>Nothing</p>');
  await bare.evaluate('globalThis.__name = (one) => one');
  const [floorDrag, floorZoom] = [await framesOf(bare, () => drag(bare, at)), await framesOf(bare, () => zoom(bare, at))];
  const [floorDragWork, floorZoomWork] = [await workOf(bare, () => drag(bare, at)), await workOf(bare, () => zoom(bare, at))];
  await bare.close();

  const drags = await framesOf(page, () => drag(page, at));
  const dragWork = await workOf(page, () => drag(page, at));
  const zooms = await framesOf(page, () => zoom(page, { x: at.x + 100, y: at.y + 60 }));
  const zoomWork = await workOf(page, () => zoom(page, { x: at.x + 100, y: at.y + 60 }));

  // a selection: how many stops are drawn anew
  await page.evaluate(() => {
    const seen = new Set<Element>();
    (window as unknown as { seen: Set<Element> }).seen = seen;
    new MutationObserver((all) => {
      for (const one of all) {
        const element = (one.target instanceof Element ? one.target : one.target.parentElement)?.closest('[data-stop]');
        if (element) seen.add(element);
      }
    }).observe(document.querySelector('[data-testid="line-map"]')!, {
      subtree: true,
      attributes: true,
      childList: true,
      characterData: true,
    });
  });
  await page.locator('[data-stop="m1"]').click();
  await page.waitForTimeout(300);
  const anew = await page.evaluate(() => (window as unknown as { seen: Set<Element> }).seen.size);

  console.log(`map: ${stops} stops and waits to be pressed; opened in ${ms(quantile(opens, 0.5))} (median of five; aim under 1 s)`);
  console.log(
    `map: dragging, frames of ${ms(quantile(drags, 0.5))}, 95th percentile ${ms(quantile(drags, 0.95))}; floor ${ms(quantile(floorDrag, 0.95))}`,
  );
  console.log(`map: dragging, work of ${ms(dragWork / MOVES)} a movement; floor ${ms(floorDragWork / MOVES)} (aim: within 16 ms)`);
  console.log(
    `map: zooming, frames of ${ms(quantile(zooms, 0.5))}, 95th percentile ${ms(quantile(zooms, 0.95))}; floor ${ms(quantile(floorZoom, 0.95))}`,
  );
  console.log(`map: zooming, work of ${ms(zoomWork / MOVES)} a movement; floor ${ms(floorZoomWork / MOVES)} (aim: within 16 ms)`);
  console.log(`map: a selection changes ${anew} of ${stops} stops and waits`);
  console.log(
    `map: scripts of the screen ${(screen / 1000).toFixed(0)} kB compressed; of the table of flows ${(table / 1000).toFixed(0)} kB (aim under 300 kB)`,
  );
  await browser.close();
}

await main();
