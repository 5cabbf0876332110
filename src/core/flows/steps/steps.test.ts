import fc from 'fast-check';
import murmurhash from 'murmurhash';
import { describe, expect, it } from 'vitest';
import { factsOf, isWithin, nextWithin, type FactEvent, type Facts, type Rule, type Value } from '../../rules';
import { NO_LIMITS, type Limits } from '../../limits';
import { DAY, HOUR, MINUTE } from '../../time';
import { advance, type RunningFlow } from '../advance';
import { asksOf } from '../needs';
import { diff } from '../diff';
import { flowSchema, type FlowDocument, type Step } from '../document';
import { drawnShare, lotOf } from '../../stats';
import { advancePerson } from '../person';
import { preflight } from '../preflight';
import { armedRun, CALLED, effectName, type Run } from '../run';
import { live } from '../testing/arrivals';
import { ANY_OFFERS, flowWith, inForms, issuesTen, letter } from '../testing/asking';
import { sayTrace } from '../trace';

const START = Date.parse('2026-11-24T12:00:00Z');
const ZONE = 'Europe/Amsterdam';
const REACH = { email: { hasAddress: true, state: 'given' as const, suppressed: null, pausedUntil: null } };

let numbers = 0;
const event = (type: string, minute: number, properties: { readonly [name: string]: Value } = {}): FactEvent => ({
  id: String((numbers += 1)),
  type,
  time: START + minute * MINUTE,
  properties,
});
const told = (one: FactEvent) => ({ event: one, at: one.time });
const flowOf = (steps: Step[], more: Partial<FlowDocument> = {}): FlowDocument =>
  flowWith({ triggers: [{ id: 'start', kind: 'event', event: 'app.started', key: 'round' }], steps, ...more });
const running = (document: FlowDocument, key = 'of-steps'): RunningFlow => ({ key, document, isOn: true, zone: ZONE });
const lives = (steps: Step[], events: FactEvent[], options?: Parameters<typeof live>[3]) =>
  live(running(flowOf(steps)), events.map(told), START + 60 * DAY, options);
const inside = (personId: string, key: string, more: Partial<Run> = {}): Run =>
  armedRun('1', personId, { trigger: CALLED, key, at: START, eventId: null, data: {}, ...more.about });
const problems = (steps: unknown[]) =>
  flowSchema.safeParse({ ...flowOf([]), steps }).error?.issues.map(({ path, message }) => `${path.join('.')} ${message}`) ?? [];

describe('lots', () => {
  it('are MurmurHash3, by the values of its published check (SMHasher, from memory)', () => {
    expect(murmurhash.v3('', 0)).toBe(0);
    expect(murmurhash.v3('', 1)).toBe(0x514e28b7);
    expect(murmurhash.v3('test', 0)).toBe(0xba6bd213);
    expect(murmurhash.v3('Hello, world!', 0)).toBe(0xc0363e43);
    expect(murmurhash.v3('The quick brown fox jumps over the lazy dog', 0)).toBe(0x2e4ff723);
  });

  it('are the same for the same, and depend on flow, person, step and key', () => {
    const drawn = { flow: 'welcome', personId: '42', stepId: 't', key: 'c1' };
    expect(lotOf(drawn)).toBe(lotOf({ ...drawn }));
    for (const other of [{ flow: 'cart' }, { personId: '43' }, { stepId: 'u' }, { key: 'c2' }, { key: null }, { key: 'ç1' }])
      expect(lotOf({ ...drawn, ...other })).not.toBe(lotOf(drawn));
  });

  it('fall evenly, at two steps independently: chi-square of 100 and of 4 by 4 cells below the 99.9 % points 148.23 and 37.70 (tables)', () => {
    const people = 20_000;
    const tens = new Array<number>(100).fill(0);
    const pairs = new Array<number>(16).fill(0);
    for (let n = 0; n < people; n++) {
      const lot = lotOf({ flow: 'welcome', personId: String(n), stepId: 'a', key: null });
      const other = lotOf({ flow: 'welcome', personId: String(n), stepId: 'b', key: null });
      expect(lot).toBeGreaterThanOrEqual(0);
      expect(lot).toBeLessThan(1);
      tens[Math.floor(lot * 100)]! += 1;
      pairs[Math.floor(lot * 4) * 4 + Math.floor(other * 4)]! += 1;
    }
    const chi = (cells: number[]) => cells.reduce((sum, n) => sum + (n - people / cells.length) ** 2 / (people / cells.length), 0);
    expect(chi(tens)).toBeLessThan(148.23);
    expect(chi(pairs)).toBeLessThan(37.7);
  });

  it('fall to shares in proportion, and never to one of nothing', () => {
    expect([0, 0.19, 0.2, 0.49, 0.5, 0.999].map((lot) => drawnShare(lot, [20, 30, 50]))).toEqual([0, 0, 1, 1, 2, 2]);
    fc.assert(
      fc.property(
        fc.double({ min: 0, max: 1, maxExcluded: true, noNaN: true }),
        fc.array(fc.integer({ min: 0, max: 1000 }), { minLength: 1, maxLength: 12 }).filter((shares) => shares.some(Boolean)),
        (lot, shares) => {
          expect(shares[drawnShare(lot, shares)]).toBeGreaterThan(0);
        },
      ),
    );
  });
});

describe('a message with versions', () => {
  const [step] = inForms.steps as [Extract<Step, { kind: 'send' }>];
  const went = (attributes: { readonly [name: string]: Value }) => {
    const at = Date.UTC(2026, 10, 1, 12);
    const { runs, sends } = live(
      { key: 'f', document: inForms, isOn: true, zone: 'UTC' },
      [{ event: { id: '1', type: 'order.placed', time: at, properties: { orderId: 'o1' } }, at }],
      at + HOUR,
      { attributes, isSparing: true },
    );
    expect(sends).toHaveLength(1);
    const entry = runs[0]!.trace.find(({ kind }) => kind === 'sending')!;
    return sayTrace(entry, { trigger: 'start', key: 'o1' }, inForms, { currency: 'EUR', zone: 'UTC' });
  };

  it('goes out in the first whose rule holds, and says why', () => {
    expect(went({ language: 'nl-BE' })).toMatchObject({ says: 'Queued “thanks” to go out, as “Dutch”', because: { holds: true } });
    expect(went({ language: 'de', points: 500 })).toMatchObject({
      says: 'Queued “thanks” to go out, as “Loyal”',
      because: { says: 'first version that holds is “Loyal”', parts: [{ holds: false }, { holds: true }] },
    });
    expect(went({})).toMatchObject({
      says: 'Queued “thanks” to go out, as everyone else gets it',
      because: { says: 'no version is theirs', parts: [{ holds: false }, { holds: false }] },
    });
  });

  it('is of one channel, kind and topic, and names each version once', () => {
    const problems = (versions: object[]) => {
      const parsed = flowSchema.safeParse({ ...inForms, steps: [{ ...step, versions }] });
      return parsed.success ? [] : parsed.error.issues.map(({ path, message }) => `${path.slice(2).join('.')} ${message}`);
    };
    const [dutch, loyal] = step.versions!;
    expect(problems([dutch!, loyal!])).toEqual([]);
    expect(problems([dutch!, { ...loyal!, id: 'dutch' }])).toEqual([
      'versions.1.id the id "dutch" is used twice; every version needs its own',
    ]);
    expect(problems([{ ...dutch!, message: { ...dutch!.message, kind: 'service' } }])).toEqual([
      'versions.0.message.kind must be that of the message for everyone else (marketing)',
    ]);
    expect(problems([{ ...dutch!, message: { ...dutch!.message, topic: 'news' } }])).toEqual([
      'versions.0.message.topic must be that of the message for everyone else (none)',
    ]);
  });

  it('is checked in each of them, and what differs is said by its name', () => {
    const bare = { ...step, versions: [{ ...step.versions![0]!, message: { ...step.message, subject: '' } as (typeof step)['message'] }] };
    expect(preflight({ ...inForms, steps: [bare] }).find(({ code }) => code === 'no-subject')?.says).toBe(
      '“thanks (Dutch)” has no subject',
    );
    expect(diff(inForms, { ...inForms, steps: [bare] }, 'EUR').map(({ says }) => says)).toEqual([
      '“thanks (Dutch)”, subject: “”',
      '“thanks” has no version “Loyal” any more',
    ]);
    expect(
      diff({ ...inForms, steps: [{ ...step, versions: [step.versions![1]!, step.versions![0]!] }] }, inForms, 'EUR').map(
        ({ says }) => says,
      ),
    ).toEqual(['“thanks”: its versions are looked at in another order']);
  });
});

describe('a trace of a code', () => {
  it('says up to when it counts by the calendar of the store', () => {
    const expires = Date.UTC(2026, 10, 28, 5);
    const say = (zone: string) =>
      sayTrace(
        { kind: 'issued', stepId: 'code', at: 0, saw: { offer: 'ten', expires } },
        { trigger: 'start', key: 'o1' },
        flowOf([issuesTen]),
        { currency: 'USD', zone, offers: ANY_OFFERS },
      ).says;
    // five in the morning in UTC is midnight in New York: the last day is the one before
    expect(say('America/New_York')).toBe('Issued “Ten off”, a code of Ten off, up to Friday 27 November');
    expect(say('UTC')).toBe('Issued “Ten off”, a code of Ten off, up to Saturday 28 November, 05:00');
  });
});

describe('a test', () => {
  const test = (per: 'person' | 'key', shares = [50, 50]): Step => ({
    id: 'which',
    kind: 'test',
    name: 'Sooner or later',
    per,
    arms: shares.map((share, n) => ({ id: `way-${n}`, name: `Way ${n}`, when: null, share, steps: [letter(`letter-${n}`)] })),
  });
  const wayOf = (step: Step, personId: string, key: string) =>
    advance(running(flowOf([step])), inside(personId, key), factsOf(personId, { reach: REACH }), { now: START, dueAt: START }).trace.find(
      ({ kind }) => kind === 'drawn',
    )!.armId!;

  it('takes about as many as each share says, each person always the same way', () => {
    const ways = Array.from({ length: 4000 }, (_, n) => wayOf(test('person', [25, 75]), String(n), 'k'));
    // of 4,000 with a share of a quarter: 1,000, give or take four standard deviations of 27.4
    expect(Math.abs(ways.filter((way) => way === 'way-0').length - 1000)).toBeLessThan(110);
    for (let n = 0; n < 50; n++) expect(wayOf(test('person', [25, 75]), String(n), 'another')).toBe(ways[n]);
  });

  it('draws anew for each cart where it is said so', () => {
    const ways = new Set(Array.from({ length: 40 }, (_, n) => wayOf(test('key'), '7', `c${n}`)));
    expect(ways).toEqual(new Set(['way-0', 'way-1']));
  });

  it('sends the letter of its way, and says which way and what share takes it', () => {
    const lived = lives([test('person', [0, 300])], [event('app.started', 0, { round: 'r1' })]);
    expect(lived.sends.map(({ stepId }) => stepId)).toEqual(['letter-1']);
    const entry = lived.runs[0]!.trace.find(({ kind }) => kind === 'drawn')!;
    expect(
      sayTrace(entry, { trigger: 'start', key: 'r1' }, flowOf([test('person', [100, 300])]), { currency: 'EUR', zone: 'Europe/Amsterdam' })
        .says,
    ).toBe('Drew “Way 1”, which 75 % take');
  });

  it('needs shares, and arms without conditions; a branch has none', () => {
    const [one, two] = (test('person') as Extract<Step, { kind: 'test' }>).arms;
    const rule: Rule = { test: 'trigger', property: 'value', op: 'known' };
    expect(problems([{ ...test('person'), arms: [{ ...one, share: undefined }, two] }])).toEqual([
      'steps.0.arms.0.share needs a share: a whole number from 0 to 1000',
    ]);
    expect(problems([{ ...test('person'), arms: [{ ...one, when: rule }, two] }])[0]).toMatch(/^steps\.0\.arms\.0\.when .*by lot/);
    expect(problems([test('person', [0, 0])])).toEqual(['steps.0.arms needs an arm whose share is above 0']);
    expect(problems([{ id: 'b', kind: 'branch', name: 'B', arms: [{ ...one, when: rule }, two] }])).toEqual([
      'steps.0.arms.0.share only the arms of a test have shares',
      'steps.0.arms.1.share only the arms of a test have shares',
    ]);
  });

  it('tells what has changed of its shares, and points out a way that nobody takes', () => {
    const says = diff(flowOf([test('person')]), flowOf([test('key', [20, 80])]), 'EUR').map((change) => change.says);
    expect(says).toEqual([
      '“Sooner or later” draws anew for each cart or order',
      '“Way 0” gets 20 % instead of 50 %',
      '“Way 1” gets 80 % instead of 50 %',
    ]);
    expect(preflight(flowOf([test('person', [0, 1])])).map((finding) => finding.says)).toContain('Nobody takes “Way 0”');
  });
});

describe('recording an event', () => {
  const record = (more: object = {}): Step =>
    ({ id: 'note', kind: 'record', name: 'Asked for a rating', event: 'app.asked', properties: [], ...more }) as Step;
  const asked: Rule = { test: 'did', event: 'app.asked', since: 'ever' };

  it('tells what it is given and what came with the start, and the next step sees it at once', () => {
    const step = record({
      properties: [
        { name: 'round', from: 'round' },
        { name: 'way', value: 'letter' },
        { name: 'gone', from: 'nothing' },
      ],
    });
    const branch: Step = {
      id: 'b',
      kind: 'branch',
      name: 'Asked?',
      arms: [
        { id: 'yes', name: 'Asked', when: asked, steps: [letter('thanks')] },
        { id: 'no', name: 'Not', when: null, steps: [] },
      ],
    };
    const document = flowOf([step, branch]);
    const facts = factsOf('1', { reach: REACH, events: [event('app.started', 0, { round: 'r1' })] });
    const run = armedRun('1', '1', { trigger: 'start', key: 'r1' });
    const { effects, facts: after } = advance(running(document), run, facts, { now: START, dueAt: START });
    expect(effects).toEqual([
      {
        kind: 'event',
        type: 'app.asked',
        properties: { round: 'r1', way: 'letter', byFlow: 'of-steps', hops: 1 },
        stepId: 'note',
        visit: 1,
      },
      { kind: 'send', marketing: true, channel: 'email', stepId: 'thanks', visit: 1 },
    ]);
    expect(after.events.map(({ type }) => type)).toEqual(['app.started', 'flow.entered', 'app.asked', 'flow.left']);
    // and nothing else has seen it
    expect(facts.events).toHaveLength(1);
  });

  it('is seen by the next run of the same person in the same breath', () => {
    const first = { flow: running(flowOf([record()]), 'first'), flowId: 'first', run: inside('1', 'a'), dueAt: START - 1 };
    const second = {
      flow: running(flowOf([letter('l')], { entry: asked }), 'second'),
      flowId: 'second',
      run: inside('1', 'b'),
      dueAt: START,
    };
    const facts: Facts = factsOf('1', { reach: REACH });
    const kinds = (due: Parameters<typeof advancePerson>[0]) =>
      advancePerson(due, facts, START, new Map()).map((passed) => ('result' in passed ? passed.result.trace.at(-1)!.kind : passed.error));
    expect(kinds([second, first])).toEqual(['completed', 'completed']);
    expect(kinds([second])).toEqual(['not-entered']);
  });

  it('fulfils a goal, wakes who waits for it, and begins a flow anew until it has led on ten times', () => {
    const goal = flowOf([record(), letter('never')], { goal: { event: 'app.asked', within: 'P7D', ends: true } });
    const lived = live(running(goal), [told(event('app.started', 0, { round: 'r1' }))], START + DAY);
    expect(lived.runs[0]!.run.outcome).toBe('goal');
    expect(lived.sends).toEqual([]);

    // two flows that begin each other, as one with two triggers
    const circle = flowOf([record({ event: 'app.again', properties: [{ name: 'round', from: 'round' }] })], {
      triggers: [
        { id: 'start', kind: 'event', event: 'app.started', key: 'round' },
        { id: 'again', kind: 'event', event: 'app.again', key: 'round' },
      ],
      reentry: 'always',
    });
    expect(preflight(circle).map(({ level, says }) => [level, says])).toContainEqual([
      'stops',
      '“Asked for a rating” starts this flow again',
    ]);
    const round = live(running(circle), [told(event('app.started', 0, { round: 'r1' }))], START + DAY);
    expect(round.runs).toHaveLength(11);
    const last = round.runs.at(-1)!.trace.find(({ kind }) => kind === 'skipped')!;
    expect(sayTrace(last, { trigger: 'again', key: 'r1' }, circle, { currency: 'EUR', zone: 'Europe/Amsterdam' }).says).toBe(
      'Did not record “Asked for a rating”: flows had begun each other 10 times',
    );
  });

  it('takes a number that a shop calls hops for what it is: no way that has led on', () => {
    const lived = lives([record()], [event('app.started', 0, { round: 'r1', hops: 50 })]);
    expect(lived.runs[0]!.trace.map(({ kind }) => kind)).toEqual(['entered', 'recorded', 'completed']);
  });

  it('makes up nothing that shops or we report ourselves', () => {
    for (const type of ['order.placed', 'message.opened', 'flow.called', 'cart.updated', 'list.joined'])
      expect(problems([record({ event: type })])[0]).toMatch(/^steps\.0\.event is reserved/);
    expect(problems([record({ event: 'orders.checked' })])).toEqual([]);
  });
});

describe('waiting for an event', () => {
  const wait = (more: object = {}): Step => ({ id: 'w', kind: 'wait', for: 'P3D', until: { event: 'app.rated' }, ...more }) as Step;
  const start = event('app.started', 0, { round: 'r1' });
  const traces = (lived: ReturnType<typeof lives>) => lived.runs[0]!.trace.map(({ kind }) => kind);
  const branch: Step = {
    id: 'b',
    kind: 'branch',
    name: 'Rated?',
    arms: [
      {
        id: 'well',
        name: 'Well',
        when: { test: 'answer', step: 'w', property: 'stars', op: 'atLeast', value: 4 },
        steps: [letter('thanks')],
      },
      { id: 'came', name: 'Not so', when: { test: 'answer', step: 'w', came: true }, steps: [letter('sorry')] },
      { id: 'not', name: 'Not at all', when: null, steps: [letter('please')] },
    ],
  };

  it('ends when it comes, and the answer decides further on', () => {
    for (const [stars, stepId] of [
      [5, 'thanks'],
      [2, 'sorry'],
    ] as const) {
      const lived = lives([wait(), branch], [start, event('app.rated', 90, { stars })]);
      expect(lived.sends).toEqual([{ runId: '1', key: 'r1', stepId, at: START + 90 * MINUTE }]);
      expect(traces(lived)).toEqual(['entered', 'waiting', 'answered', 'decided', 'sending', 'completed']);
      expect(lived.runs[0]!.run.answers).toEqual({ w: { at: START + 90 * MINUTE, data: { stars } } });
    }
  });

  it('ends when the time has run out, and one that comes then is not waited for any more', () => {
    const lived = lives([wait(), branch], [start, event('app.rated', 3 * 24 * 60, { stars: 5 })]);
    expect(lived.sends).toEqual([{ runId: '1', key: 'r1', stepId: 'please', at: START + 3 * DAY }]);
    expect(traces(lived)).toContain('unanswered');
  });

  it('counts nothing that was before it began, nor what does not match', () => {
    const asked = wait({ until: { event: 'app.rated', where: [{ property: 'stars', op: 'atLeast', value: 3 }] } });
    const lived = lives(
      [letter('first'), asked, branch],
      [event('app.rated', -5, { stars: 5 }), start, event('app.rated', 10, { stars: 1 })],
    );
    expect(lived.sends.map(({ stepId }) => stepId)).toEqual(['first', 'please']);
  });

  it('one event answers one wait: the next waits for the next', () => {
    const lived = lives([wait(), wait({ id: 'w2' }), letter('end')], [start, event('app.rated', 10), event('app.rated', 50)]);
    expect(lived.sends).toMatchObject([{ stepId: 'end', at: START + 50 * MINUTE }]);
  });

  it('law: whether the worker is late or sees only what it asks for, a run takes the same way', () => {
    const ratings = fc.array(fc.record({ minute: fc.integer({ min: -60, max: 6000 }), stars: fc.integer({ min: 1, max: 5 }) }), {
      maxLength: 6,
    });
    const steps = [
      letter('first'),
      wait({ for: 'P1D' }),
      branch,
      wait({ id: 'w2', until: { event: 'app.rated', where: [{ property: 'stars', op: 'is', value: 5 }] } }),
      letter('end'),
    ];
    const way = (lived: ReturnType<typeof lives>) =>
      lived.runs.map(({ run, trace }) => [run.answers, trace.map(({ kind, stepId, armId, saw }) => [kind, stepId, armId, saw])]);
    fc.assert(
      fc.property(ratings, fc.integer({ min: 1, max: 300 }), (list, late) => {
        const events = [start, ...list.map(({ minute, stars }) => event('app.rated', minute, { stars }))];
        const punctual = lives(steps, events);
        expect(way(lives(steps, events, { isSparing: true }))).toEqual(way(punctual));
        // without a letter, which goes out when the worker comes, every wait counts from when the one before was over
        const quiet = steps.filter(({ kind }) => kind === 'wait');
        expect(way(lives(quiet, events, { late: late * 1000, isSparing: true }))).toEqual(way(lives(quiet, events)));
      }),
      { numRuns: 200 },
    );
  });

  it('asks for the first that come from the second in which it began on', () => {
    const document = flowOf([wait()]);
    const run: Run = { ...inside('1', 'r1'), phase: 'inside', enteredAt: START, step: 'w', waitFrom: START, waitUntil: START + 3 * DAY };
    expect(asksOf({ key: 'flow', document, zone: ZONE }, run, { now: START + HOUR, dueAt: START + HOUR })).toEqual([
      { type: 'app.rated', key: null, where: [], within: null, from: START, to: START + HOUR, order: 'oldest', most: 10, names: null },
    ]);
  });

  it('is said, and a condition on an answer that nothing waits for is stopped', () => {
    const [waiting, answered] = lives([wait()], [start, event('app.rated', 90)]).runs[0]!.trace.slice(1, 3);
    const say = (entry: typeof waiting) =>
      sayTrace(entry!, { trigger: 'start', key: 'r1' }, flowOf([wait()]), { currency: 'EUR', zone: 'Europe/Amsterdam' }).says;
    expect(say(waiting)).toBe('Waiting up to 3 days, until the person has done app.rated');
    expect(say(answered)).toBe('It came: the person did app.rated');
    const stops = (steps: Step[]) => preflight(flowOf(steps)).filter((finding) => finding.level === 'stops');
    expect(stops([wait(), branch])).toEqual([]);
    expect(stops([wait({ until: undefined }), branch]).map(({ stepId, says }) => [stepId, says])).toEqual(
      new Array(2).fill(['b', 'A condition asks for an answer that no step waits for']),
    );
  });
});

describe('an update', () => {
  const start = event('app.started', 0, { round: 'r1', value: 40, tier: 'gold' });
  const update = (...changes: object[]): Step => ({ id: 'u', kind: 'update', name: 'Note it', changes }) as Step;
  const after = (changes: object[], attributes = {}) => lives([update(...changes)], [start], { attributes });
  const says = (lived: ReturnType<typeof lives>) =>
    sayTrace(
      lived.runs[0]!.trace.find(({ kind }) => kind === 'updated')!,
      { trigger: 'start', key: 'r1' },
      flowOf([update({ do: 'clear', name: 'x' })]),
      { currency: 'EUR', zone: 'Europe/Amsterdam' },
    ).says;

  it('sets, adds, appends and clears attributes, and says what was and what is', () => {
    const changes = [
      { do: 'set', name: 'tier', from: 'tier' },
      { do: 'set', name: 'isKeen', value: true },
      { do: 'add', name: 'points', by: 0.2 },
      { do: 'append', name: 'seen', value: 'a' },
      { do: 'append', name: 'seen', value: 'b' },
      { do: 'append', name: 'seen', value: 'a' },
      { do: 'clear', name: 'old' },
    ];
    const lived = after(changes, { points: 0.1, old: 1, seen: 'z' });
    expect(lived.known.attributes).toEqual({ tier: 'gold', isKeen: true, points: 0.3, seen: ['z', 'a', 'b'] });
    expect(says(lived)).toBe(
      'Updated “Note it”: tier is now “gold”; is keen is now yes; points was 0.1 and is now 0.3; ' +
        'seen was “z” and is now 2 entries; seen was 2 entries and is now 3 entries; old was 1 and is not known any more',
    );
  });

  it('puts tags and lists on and takes them off, tells what joins a list, and does nothing twice', () => {
    const lived = after([
      { do: 'tag', tag: 'vip' },
      { do: 'tag', tag: 'vip' },
      { do: 'list', list: 'a' },
      { do: 'list', list: 'b' },
      { do: 'unlist', list: 'a' },
    ]);
    expect(lived.known).toMatchObject({ tags: ['vip'], lists: ['b'], since: { 'tag/vip': start.time, 'list/b': start.time } });
    expect(lived.runs[0]!.run.effects).toBe(7);
    const names = lived.runs[0]!.run;
    expect(
      new Set(
        [{ part: undefined }, { part: 1 }, { part: 2 }].map(({ part }) =>
          effectName(names.id, { stepId: 'u', visit: 1, ...(part && { part }) }),
        ),
      ).size,
    ).toBe(3);
  });

  it('leaves alone what it cannot make sense of', () => {
    expect(after([{ do: 'add', name: 'points', by: 1 }], { points: 'many' }).known.attributes).toEqual({ points: 'many' });
    expect(after([{ do: 'set', name: 'x', from: 'nowhere' }]).known.attributes).toEqual({});
    expect(says(after([{ do: 'set', name: 'x', from: 'nowhere' }]))).toBe('Updated “Note it”: nothing had to change');
  });

  it('is seen by what follows at once', () => {
    const branch: Step = {
      id: 'b',
      kind: 'branch',
      name: 'Keen?',
      arms: [
        { id: 'yes', name: 'Yes', when: { test: 'tag', tag: 'keen', has: true }, steps: [letter('keen')] },
        { id: 'no', name: 'No', when: null, steps: [letter('not')] },
      ],
    };
    expect(lives([update({ do: 'tag', tag: 'keen' }), branch], [start]).sends.map(({ stepId }) => stepId)).toEqual(['keen']);
    // its own stay rule, too
    const leaves = live(
      running(flowOf([update({ do: 'tag', tag: 'gone' }), letter('never')], { stay: { test: 'tag', tag: 'gone', has: false } })),
      [told(start)],
      START + DAY,
    );
    expect(leaves.sends).toEqual([]);
    expect(leaves.runs[0]!.run.outcome).toBe('left');
  });

  it('changes nothing that says who somebody is', () => {
    for (const name of ['email', 'phone', 'pushToken', 'externalId', 'plan.name'])
      expect(problems([update({ do: 'set', name, value: 'x' })])[0], name).toMatch(/cannot be changed by a flow/);
    expect(problems([update()])[0]).toMatch(/needs at least one change/);
  });
});

describe('a wait', () => {
  const start = event('app.started', 0, { round: 'r1', trialEnds: '2026-12-01T23:30:00+01:00' });
  const wait = (more: object): Step => ({ id: 'w', kind: 'wait', ...more }) as Step;
  const sentAt = (steps: Step[], events = [start], attributes = {}) =>
    lives([...steps, letter('end')], events, { attributes }).sends.map(({ at }) => at);
  const local = (text: string) => Date.parse(text);

  it('lasts until a day on file, so many days before or after it, at a time of day', () => {
    const until = (more: object, attributes = {}) =>
      sentAt([wait({ date: { of: 'start', name: 'trialEnds', days: 0, at: '09:00', ...more } })], [start], attributes);
    expect(until({})).toEqual([local('2026-12-01T09:00:00+01:00')]);
    expect(until({ days: -3 })).toEqual([local('2026-11-28T09:00:00+01:00')]);
    expect(until({ of: 'person', name: 'renews', days: 1 }, { renews: '2026-12-24' })).toEqual([local('2026-12-25T09:00:00+01:00')]);
    // a day that is past is not waited for, nor one that is not on file
    expect(until({ days: -30 })).toEqual([START]);
    expect(until({ of: 'person', name: 'renews' })).toEqual([START]);
    expect(lives([wait({ date: { of: 'person', name: 'renews', days: 0, at: '09:00' } })], [start]).runs[0]!.trace[1]).toMatchObject({
      kind: 'waiting',
      saw: { noDay: 'renews' },
    });
  });

  it('lasts on to the next of some hours, over midnight and where clocks change', () => {
    // START is a Tuesday, 13:00 in Amsterdam
    const hours = (hours: object, more: object = {}) => sentAt([wait({ hours, ...more })])[0];
    expect(hours({ from: '09:00', to: '17:00' })).toBe(START);
    expect(hours({ from: '18:00', to: '20:00' })).toBe(local('2026-11-24T18:00:00+01:00'));
    expect(hours({ from: '09:00', to: '12:00' })).toBe(local('2026-11-25T09:00:00+01:00'));
    expect(hours({ weekdays: [6, 7] })).toBe(local('2026-11-28T00:00:00+01:00'));
    expect(hours({ weekdays: [1], from: '08:30', to: '10:00' })).toBe(local('2026-11-30T08:30:00+01:00'));
    expect(hours({ from: '09:00', to: '17:00' }, { for: 'PT6H' })).toBe(local('2026-11-25T09:00:00+01:00'));
    // 02:30 does not exist on 29 March 2026 in Amsterdam
    expect(nextWithin(local('2026-03-29T00:30:00+01:00'), { from: '02:30', to: '04:00' }, ZONE)).toBe(local('2026-03-29T03:00:00+02:00'));
  });

  it('law: the next of some hours is the first minute that is within them', () => {
    const clock = fc
      .tuple(fc.integer({ min: 0, max: 23 }), fc.constantFrom(0, 15, 30))
      .map(([h, m]) => `${String(h).padStart(2, '0')}:${String(m).padStart(2, '0')}`);
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 400 * 24 * 60 }),
        fc
          .record({ weekdays: fc.uniqueArray(fc.integer({ min: 1, max: 7 }), { minLength: 1 }), from: clock, to: clock })
          .filter(({ from, to }) => from !== to),
        (minute, hours) => {
          const at = START + minute * MINUTE;
          const next = nextWithin(at, hours, ZONE);
          expect(isWithin(next, hours, ZONE)).toBe(true);
          for (let earlier = at; earlier < next; earlier += MINUTE) expect(isWithin(earlier, hours, ZONE)).toBe(false);
        },
      ),
      { numRuns: 60 },
    );
  });

  it('ends when a condition comes to hold, by what happens or by time alone, with a way on for each', () => {
    const until = (rule: Rule, limit = 'P3D'): Step =>
      wait({
        for: limit,
        until: { rule },
        arms: [
          { id: 'came', name: 'It came', when: null, steps: [letter('it-came')] },
          { id: 'late', name: 'Time ran out', when: null, steps: [letter('too-late')] },
        ],
      });
    const bought: Rule = { test: 'did', event: 'order.placed', times: 2, since: 'entry' };
    const orders = [event('order.placed', 30), event('order.placed', 90)];
    expect(lives([until(bought)], [start, ...orders]).sends).toMatchObject([{ stepId: 'it-came', at: START + 90 * MINUTE }]);
    expect(lives([until(bought)], [start, orders[0]!]).sends).toMatchObject([{ stepId: 'too-late', at: START + 3 * DAY }]);
    // nobody tells anything: that the order is long enough ago is known by the clock
    const long: Rule = { test: 'did', event: 'order.placed', since: { ago: 'PT2H' } };
    expect(lives([until(long)], [start, orders[0]!]).sends).toMatchObject([{ stepId: 'it-came', at: START + 150 * MINUTE }]);
    // it holds already
    expect(lives([until({ all: [] })], [start]).sends).toMatchObject([{ stepId: 'it-came', at: START }]);
    const trace = lives([until(bought)], [start]).runs[0]!.trace.map(
      (one) => sayTrace(one, { trigger: 'start', key: 'r1' }, flowOf([until(bought)]), { currency: 'EUR', zone: 'Europe/Amsterdam' }).says,
    );
    expect(trace.slice(1, 3)).toEqual([
      'Waiting up to 3 days, until the person has placed an order at least twice since entering',
      'Time ran out: 3 days without it',
    ]);
  });

  it('says for how long, once', () => {
    expect(problems([wait({})])[0]).toMatch(/needs to say how long/);
    expect(problems([wait({ for: 'P1D', date: { of: 'person', name: 'x', days: 0, at: '09:00' } })])[0]).toMatch(/one of them/);
    expect(
      problems([
        wait({
          for: 'P1D',
          arms: [
            { id: 'a', name: 'a', when: null, steps: [] },
            { id: 'b', name: 'b', when: null, steps: [] },
          ],
        }),
      ])[0],
    ).toMatch(/only a wait for something has arms/);
    expect(problems([wait({ date: { of: 'person', name: 'x', days: 0, at: '25:00' } })])[0]).toMatch(/time of day/);
  });
});

describe('handing over', () => {
  const start = event('app.started', 0, { round: 'r1', value: 40 });
  const hand = (more: object = {}): Step => ({ id: 'h', kind: 'hand', name: 'On', flow: 'other', leaves: true, ...more }) as Step;

  it('tells the other flow, with all that started this one, and ends this run or lets it go on', () => {
    const left = lives([hand(), letter('never')], [start]);
    expect(left.runs[0]!.trace.map(({ kind }) => kind)).toEqual(['entered', 'handed', 'completed']);
    expect(lives([hand({ leaves: false }), letter('on')], [start]).sends).toHaveLength(1);
  });

  it('starts the other one, under the same key, whose entry rule still holds', () => {
    const other = flowOf([letter('taken')], { entry: { test: 'trigger', property: 'value', op: 'above', value: 30 } });
    const handed = (value: number, to = 'other') => event('flow.handed', 1, { to, about: 'r1', value, byFlow: 'of-steps', hops: 1 });
    const received = (one: FactEvent) => live(running(other, 'other'), [told(one)], START + DAY);
    expect(received(handed(40))).toMatchObject({ sends: [{ key: 'r1', stepId: 'taken' }] });
    expect(received(handed(10)).runs[0]!.run.outcome).toBe('not-entered');
    expect(received(handed(40, 'another')).runs).toEqual([]);
  });

  it('comes to an end where two flows hand to each other', () => {
    const itself = live(running(flowOf([hand({ flow: 'of-steps' })], { reentry: 'always' })), [told(start)], START + DAY);
    expect(itself.runs).toHaveLength(11);
    expect(
      preflight(flowOf([hand()]), {
        list: new Map(),
        segment: new Map(),
        flow: new Map(),
        topic: new Map(),
        offer: new Map(),
        table: new Map(),
        'country group': new Map(),
      }),
    ).toContainEqual(expect.objectContaining({ level: 'stops', says: 'Hand over “On”: the flow other is not on file' }));
  });
});

describe('an idea', () => {
  it('does nothing, and keeps the flow from being published', () => {
    const idea: Step = { id: 'i', kind: 'idea', text: 'Thank them for the third order' };
    expect(lives([idea, letter('on')], [event('app.started', 0, { round: 'r1' })]).sends).toHaveLength(1);
    expect(preflight(flowOf([idea]))).toContainEqual(expect.objectContaining({ level: 'stops', stepId: 'i' }));
  });
});

describe('starting again after a while', () => {
  const again = (minute: number, round: string) => event('app.started', minute, { round });
  const starts = (events: FactEvent[]) =>
    live(running(flowOf([letter('hello')], { reentry: { after: 'P30D' } })), events.map(told), START + 200 * DAY).sends.map(
      ({ at }) => (at - START) / DAY,
    );

  it('counts from when somebody went in, under whatever key', () => {
    expect(starts([again(0, 'a'), again(29 * 1440, 'b'), again(30 * 1440, 'c'), again(59 * 1440, 'd'), again(61 * 1440, 'a')])).toEqual([
      0, 30, 61,
    ]);
  });
});

describe('limits', () => {
  const limits: Limits = { ...NO_LIMITS, gap: 'P1D', caps: [{ channel: 'email', most: 3, per: 'P30D' }], closed: new Set() };
  const start = event('app.started', 0, { round: 'r1' });
  const limited = (steps: Step[], more: Partial<Limits> = {}, options?: Parameters<typeof live>[3]) =>
    live({ ...running(flowOf(steps)), limits: { ...limits, ...more } }, [told(start)], START + 60 * DAY, options);
  const service = (id: string): Step => {
    const step = letter(id);
    return { ...step, message: { ...step.message, kind: 'service' } };
  };

  it('hold messages back until they may go, and skip what is too much; the trace says why', () => {
    const lived = limited([letter('a'), letter('b'), service('s'), letter('c'), letter('d')]);
    expect(lived.sends.map(({ stepId, at }) => [stepId, (at - START) / DAY])).toEqual([
      ['a', 0],
      ['b', 1],
      ['s', 1],
      ['c', 2],
    ]);
    const says = lived.runs[0]!.trace.map(
      (one) =>
        sayTrace(one, { trigger: 'start', key: 'r1' }, flowOf([letter('b'), letter('d')]), { currency: 'EUR', zone: 'Europe/Amsterdam' })
          .says,
    );
    expect(says).toContain('Held “b”: another message went out less than 1 day before');
    expect(says).toContain('Did not send “d”: 3 messages in 30 days is the most that anybody gets');
  });

  it('are the same for a worker that sees only what it asks for', () => {
    const steps = [letter('a'), { id: 'w', kind: 'wait', for: 'PT6H' } as Step, letter('b'), letter('c'), letter('d')];
    const way = (lived: ReturnType<typeof limited>) => [lived.sends, lived.runs[0]!.trace];
    expect(way(limited(steps, {}, { isSparing: true }))).toEqual(way(limited(steps)));
  });

  it('of two flows that want somebody at the same moment the one with the higher priority goes first; the other is held', () => {
    const due = (key: string, priority: number) => ({
      flow: { ...running(flowOf([letter(`from-${key}`)], { priority }), key), limits },
      flowId: key,
      run: inside('1', key),
      dueAt: START - (key === 'low' ? 1000 : 0),
    });
    const passed = advancePerson([due('low', 10), due('high', 90)], factsOf('1', { reach: REACH }), START, new Map());
    const did = passed.map((one) => ('result' in one ? [one.due.flowId, one.result.trace.map(({ kind }) => kind)] : []));
    expect(did).toEqual([
      ['high', ['entered', 'sending', 'completed']],
      ['low', ['entered', 'held']],
    ]);
  });
});

describe('who enters', () => {
  const start = (minute = 0, round = 'r1') => event('app.started', minute, { round });
  const lived = (more: Partial<FlowDocument>, events = [start()], until = START + 90 * DAY) =>
    live(running(flowOf([letter('a'), { id: 'w', kind: 'wait', for: 'P10D' }, letter('b')], more)), events.map(told), until);

  it('only within the days of the flow; with leaving, nobody stays beyond the last', () => {
    expect(lived({ window: { from: '2026-11-25' } }).runs[0]!.trace).toMatchObject([{ kind: 'not-entered', saw: { window: 'before' } }]);
    expect(lived({ window: { to: '2026-11-23' } }).runs[0]!.trace).toMatchObject([{ kind: 'not-entered', saw: { window: 'after' } }]);
    expect(lived({ window: { from: '2026-11-24', to: '2026-11-24' } }).sends).toHaveLength(2);
    const left = lived({ window: { to: '2026-11-28', leave: true } });
    expect(left.sends.map(({ stepId }) => stepId)).toEqual(['a']);
    expect(left.runs[0]!.trace.at(-1)).toMatchObject({
      kind: 'left',
      at: Date.parse('2026-11-29T00:00:00+01:00'),
      saw: { window: 'after' },
    });
    expect(flowSchema.safeParse({ ...flowOf([]), window: { from: '2026-12-02', to: '2026-12-01' } }).success).toBe(false);
  });

  it('a control group by lot gets nothing, and its goal is watched for', () => {
    const goal = { event: 'order.placed', within: 'P7D', ends: true };
    const of = (personId: string) =>
      advance(running(flowOf([letter('a')], { control: 20, goal })), inside(personId, 'k'), factsOf(personId, { reach: REACH }), {
        now: START,
        dueAt: START,
      });
    const all = Array.from({ length: 4000 }, (_, n) => of(String(n)));
    const drawn = all.filter(({ run }) => run.outcome === 'control');
    // binomial: 20 % of 4,000 is 800, give or take 25; four standard errors
    expect(Math.abs(drawn.length - 800)).toBeLessThan(101);
    expect(
      drawn.every(({ effects, told: says, run }) => !effects.length && !says.length && run.phase === 'watching' && run.enteredAt === START),
    ).toBe(true);
    const one = drawn[0]!.run;
    const order: FactEvent = { id: '9', type: 'order.placed', time: START + HOUR, properties: {} };
    const after = advance(running(flowOf([letter('a')], { control: 20, goal })), one, factsOf(one.personId, { events: [order] }), {
      now: START + HOUR,
      dueAt: START + HOUR,
    });
    expect(after.run).toMatchObject({ phase: 'ended', outcome: 'control', goalAt: START + HOUR });
  });

  it('the goal hands over under a name of its own, whatever steps are called', () => {
    const goal = { event: 'order.placed', within: 'P7D', ends: false, handTo: 'second-order' };
    const order = event('order.placed', 60, { orderId: 'o1' });
    const record: Step = { id: 'goal', kind: 'record', name: 'Asked', event: 'app.asked', properties: [] };
    const passed = advance(
      running(flowOf([record], { goal })),
      { ...inside('1', 'r1'), phase: 'inside', enteredAt: START, step: 'goal' },
      factsOf('1', { reach: REACH, events: [order] }),
      { now: order.time, dueAt: order.time },
    );
    const names = passed.effects.map((effect) => effectName('7', effect));
    expect(names).toHaveLength(2);
    expect(new Set(names).size).toBe(2);
  });

  it('who reaches the goal is handed over with what came with it', () => {
    const goal = { event: 'order.placed', within: 'P7D', ends: true, handTo: 'second-order' };
    const order = event('order.placed', 60, { orderId: 'o1', value: 12 });
    const run = lived({ goal }, [start(), order]);
    expect(run.runs[0]!.run).toMatchObject({ outcome: 'goal', effects: 2 });
    const passed = advance(
      running(flowOf([letter('a')], { goal })),
      { ...inside('1', 'r1'), phase: 'inside', enteredAt: START, step: 'a' },
      factsOf('1', { reach: REACH, events: [order] }),
      { now: order.time, dueAt: order.time },
    );
    expect(passed.effects).toMatchObject([
      { kind: 'event', type: 'flow.handed', properties: { to: 'second-order', about: 'r1', orderId: 'o1', value: 12, byFlow: 'of-steps' } },
    ]);
  });
});
