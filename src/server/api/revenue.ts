import { reportSchema } from '@/core/reports';
import { GRAINS, revenueSettingsSchema, SPLIT_WORDS, SPLITS } from '@/core/revenue';
import { body, jsonSchema, ok, operation, parameter, period } from './parts';

const reportKey = parameter('key', 'path', "The report's key");

/** What it does with money: the ledger, carts, tests and lift, people over time, and reports of one's own. */
export const revenuePaths = {
  '/revenue': {
    get: operation('Takings, credited and uncredited, by flow and message and by day, in minor units', ok('The sums'), {
      parameters: [
        ...period,
        parameter('by', 'query', 'Split by it', { enum: Object.keys(SPLIT_WORDS) }),
        parameter('grain', 'query', 'How coarse `days` are', { enum: [...GRAINS] }),
      ],
    }),
  },
  '/revenue/ledger': {
    get: operation('Every order with its credits, newest first', ok('A page; `next` continues it'), {
      parameters: [
        ...period,
        parameter('flow', 'query', 'Only those in which the flow has a share'),
        parameter('step', 'query', 'Of that flow, the message'),
        ...SPLITS.map((split) => parameter(split, 'query', `Only those of this part of a split by ${SPLIT_WORDS[split]}`)),
        parameter('credited', 'query', 'yes: in which any message has a share, no: none'),
        parameter('before', 'query', 'The value of `next`'),
        parameter('limit', 'query', 'At most 200'),
      ],
    }),
  },
  '/revenue/settings': {
    get: operation('How revenue is counted', ok('{settings, counted, check, rebuild}')),
    put: operation('Sets how; the ledger is computed anew', ok('{settings, counted, check, rebuild}'), {
      requestBody: body(jsonSchema(revenueSettingsSchema)),
    }),
  },
  '/revenue/check': {
    get: operation('What the last check of the ledger has found', ok('{check, rebuild}')),
    post: operation('Checks the ledger now, from the events', ok('{check, rebuild}')),
  },
  '/revenue/lifts': { get: operation('What every flow adds that keeps some out', ok('{lifts, all}'), { parameters: period }) },
  '/flows/{key}/lift': {
    get: operation('What a flow adds: who entered against who was kept out, a person', ok('people, perPerson, lift, interval, method'), {
      parameters: [parameter('key', 'path', "The flow's key"), ...period],
    }),
  },
  '/cohorts': {
    get: operation('People by the month of their first order: who came back, how often, for how much', ok('{currency, cohorts}'), {
      parameters: [
        parameter('months', 'query', 'How many months back, at most 36'),
        parameter('product', 'query', 'Only whose first order held it'),
        parameter('source', 'query', 'Only whose first order came from it'),
      ],
    }),
  },
  '/forward': {
    get: operation('How people go on to their first, second and third order, and after how many days', ok('{from, to, steps}'), {
      parameters: period,
    }),
  },
  '/again': {
    get: operation('After how many days people buy the same again, by product or category', ok('{from, to, by, lines}'), {
      parameters: [...period, parameter('by', 'query', 'product or category'), parameter('key', 'query', 'One of them, with its curve')],
    }),
  },
  '/predictions': { get: operation('What is expected of everybody together, and how an earlier fit held', ok('{currency, fit}')) },
  '/today': {
    get: operation('Takings against a week ago, what goes out, what needs attention, and what others did', ok('The day'), {
      parameters: [parameter('since', 'query', 'From when on what others did is told')],
    }),
  },
  '/carts': {
    get: operation(
      'Carts that were left: open, won back and gone, what they were worth, the rate with its interval, and how they came back',
      ok('The report'),
      {
        parameters: period,
      },
    ),
  },
  '/carts/list': {
    get: operation('Carts that were left, the newest first', ok('A page'), {
      parameters: [
        ...period,
        parameter('state', 'query', 'open, won, gone or unreachable'),
        parameter('limit', 'query', 'At most 200'),
        parameter('offset', 'query', 'How many are passed over'),
      ],
    }),
  },
  '/tests': { get: operation('Every test of flows that are on, with what can be said of it', ok('{tests}'), { parameters: period }) },
  '/tests/{flow}/{step}': {
    get: operation('A test, arm by arm', ok('The test'), {
      parameters: [parameter('flow', 'path', "The flow's key"), parameter('step', 'path', "The test's id"), ...period],
    }),
  },
  '/tests/{flow}/{step}/keep': {
    post: operation(
      'Ends a test: the flow is published with one of its arms in place of it',
      ok('{version}'),
      {
        parameters: [parameter('flow', 'path', "The flow's key"), parameter('step', 'path', "The test's id")],
        requestBody: body({ type: 'object', properties: { arm: { type: 'string' } }, required: ['arm'] }),
      },
      '201',
    ),
  },
  '/reports': {
    get: operation('Reports of one’s own', ok('{reports}')),
    post: operation(
      'Creates a report, under a key made of its name',
      ok('The report'),
      {
        requestBody: body(jsonSchema(reportSchema)),
      },
      '201',
    ),
  },
  '/reports/{key}': {
    get: operation('A report: what it shows, to whom it goes, and its link', ok('The report'), { parameters: [reportKey] }),
    put: operation('Changes a report, by the `revision` that it was made from', ok('The report'), {
      parameters: [reportKey],
      requestBody: body(jsonSchema(reportSchema)),
    }),
    delete: operation('Deletes a report', ok('key'), { parameters: [reportKey] }),
  },
  '/reports/{key}/figures': {
    get: operation('What a report says now', ok('{from, to, figures, days, splits}'), { parameters: [reportKey] }),
  },
  '/reports/{key}/link': {
    post: operation('Shares a report by a link', ok('The report'), { parameters: [reportKey] }),
    delete: operation('Takes the link back', ok('The report'), { parameters: [reportKey] }),
  },
  '/reports/{key}/send': {
    post: operation('Sends a report now to all its readers', ok('{readers}'), { parameters: [reportKey] }, '202'),
  },
  '/orders/{id}/credits': {
    get: operation('Every message before an order, why each counts or does not, and credits by each model', ok('The order'), {
      parameters: [parameter('id', 'path', "The order's id")],
    }),
  },
};
