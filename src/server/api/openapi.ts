import { passwordInput, countryGroupInput, limitsInput, trackingInput, tableInput, suppressionsInput } from '@/core/api';
import { flowSchema } from '@/core/flows';
import { messageSchema } from '@/core/messages';
import { formSchema } from '@/core/forms';
import { importSchema } from '@/core/imports';
import { checkoutBoxSchema } from '@/core/people';
import { revenueSettingsSchema } from '@/core/revenue';
import { ruleSchema } from '@/core/rules';
import { mappingSchema } from '@/core/sources';
import { envelopeSchema } from '../ingest';
import { putPersonSchema } from '../people';
import { moveSchema } from '../http';
import { jsonSchema, ok, parameter, body, operation, period, nothing } from './parts';
import { dataPaths } from './data';
import { flowPaths } from './flows';
import { letterPaths } from './letters';
import { peoplePaths } from './people';

export { flowJsonSchema } from './parts';

/** The description of the public interface, OpenAPI 3.1; its schemas come from those that check the input. */
export function description(origin: string) {
  return {
    openapi: '3.1.0',
    info: {
      title: 'Viatic',
      version: '1',
      description:
        'Everything that the screens can read or do. Amounts called minor are whole numbers of minor units (ISO 4217); times are RFC 3339.',
    },
    servers: [{ url: `${origin}/api/v1` }],
    security: [{ key: [] }],
    paths: {
      ...peoplePaths,
      ...dataPaths,
      ...flowPaths,
      ...letterPaths,
      '/sending': {
        get: operation('How much marketing anybody gets, and when', ok('{limits, closedDays}')),
        put: operation('Changes it', ok('The same'), { requestBody: body(jsonSchema(limitsInput)) }),
      },
      '/tracking': {
        put: operation('Sets of whom openings and clicks are counted', ok('{limits, closedDays, tracking}'), {
          requestBody: body(jsonSchema(trackingInput)),
        }),
      },
      '/places': {
        get: operation('How many postcodes of each country are on file', ok('{total, countries: [{country, places}]}')),
        put: operation('Loads a table of places', ok('The same'), { requestBody: body(jsonSchema(tableInput)) }),
      },
      '/places/{country}': {
        delete: operation('Removes the places of a country', ok('Nothing'), { parameters: [parameter('country', 'path', 'Two letters')] }),
      },
      '/places/{country}/{postcode}': {
        get: operation('Where a postcode lies', ok('{country, postcode, latitude, longitude}'), {
          parameters: [parameter('country', 'path', 'Two letters'), parameter('postcode', 'path', 'As it is written')],
        }),
      },
      '/currency-rates': {
        get: operation('Currencies of which rates are on file', ok('{currency, rates: [{currency, days, first, last, rate}]}')),
        put: operation('Loads a table of rates', ok('The same'), { requestBody: body(jsonSchema(tableInput)) }),
      },
      '/currency-rates/{currency}': {
        delete: operation('Removes the rates of a currency', ok('Nothing'), {
          parameters: [parameter('currency', 'path', 'Three letters')],
        }),
      },
      '/country-groups': { get: operation('Groups of countries of the store’s own', ok('{groups: [{key, name, codes}]}')) },
      '/country-groups/{key}': {
        put: operation('Stores a group', ok('The groups'), {
          parameters: [parameter('key', 'path', 'Its key')],
          requestBody: body(jsonSchema(countryGroupInput)),
        }),
        delete: operation('Removes a group that no rule asks for', ok('Nothing'), { parameters: [parameter('key', 'path', 'Its key')] }),
      },
      '/topics': {
        get: operation('Topics that people can choose', ok('The topics')),
        put: operation('Replaces them', ok('The topics'), { requestBody: body({ type: 'object' }) }),
      },
      '/suppressions': {
        get: operation('Addresses never written to', ok('A page'), {
          parameters: [parameter('q', 'query', 'Words'), parameter('offset', 'query', 'How many to pass over')],
        }),
        post: operation(
          'Puts addresses on',
          ok('added, known, wrong'),
          {
            requestBody: body(jsonSchema(suppressionsInput)),
          },
          '201',
        ),
        delete: operation(
          'Takes an address off',
          nothing,
          {
            parameters: [
              parameter('channel', 'query', 'Channel'),
              parameter('address', 'query', 'Address'),
              parameter('why', 'query', 'Why it may be written to again'),
            ],
          },
          '204',
        ),
      },
      '/checkout-box': {
        get: operation('The opt-in box of the checkout, for a country or as it is set', ok('country, ticked, wording'), {
          parameters: [parameter('country', 'query', 'Country, however spelled')],
        }),
        put: operation('Sets it', ok('The box'), { requestBody: body(jsonSchema(checkoutBoxSchema)) }),
      },
      '/revenue': {
        get: operation('Takings, credited and uncredited, by flow and message and by day, in minor units', ok('The sums'), {
          parameters: [...period, parameter('by', 'query', 'Split by flow, channel, offer, source, first, product or category')],
        }),
      },
      '/revenue/ledger': {
        get: operation('Every order with its credits, newest first', ok('A page; `next` continues it'), {
          parameters: [
            ...period,
            parameter('flow', 'query', 'Only those in which the flow has a share'),
            parameter('step', 'query', 'Of that flow, the message'),
            parameter('channel', 'query', 'Only those in which a message of this channel has a share'),
            parameter('offer', 'query', 'Only those with a code of the offer'),
            parameter('first', 'query', 'first: the first of somebody, repeat: later ones'),
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
        get: operation(
          'What a flow adds: who entered against who was kept out, a person',
          ok('people, perPerson, lift, interval, method'),
          {
            parameters: [parameter('key', 'path', "The flow's key"), ...period],
          },
        ),
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
          parameters: [
            ...period,
            parameter('by', 'query', 'product or category'),
            parameter('key', 'query', 'One of them, with its curve'),
          ],
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
      '/orders/{id}/credits': {
        get: operation('Every message before an order, why each counts or does not, and credits by each model', ok('The order'), {
          parameters: [parameter('id', 'path', "The order's id")],
        }),
      },
      '/account': {
        get: operation('Your own account and where you are signed in; for people, not for keys', ok('email, name, sessions')),
        put: operation('Another password: ends all your other sessions', ok('email, name, sessions'), {
          requestBody: body(jsonSchema(passwordInput)),
        }),
      },
      '/account/sessions': { delete: operation('Ends all your sessions but this one', ok('email, name, sessions')) },
      '/clock': {
        get: operation('Store time', ok('now, zone')),
        post: operation(
          'Moves store time forward (demo and tests) and answers when all that fell due has been done; with 202 how far it came, when that takes long',
          ok('now, target, isThere, and how many runs moved'),
          { requestBody: body({ $ref: '#/components/schemas/Move' }) },
        ),
      },
      '/health': {
        get: {
          summary: 'Whether the database answers and a worker lives',
          security: [],
          responses: { '200': ok('All is well'), '503': ok('What is missing') },
        },
      },
      '/openapi.json': { get: { summary: 'This description', security: [], responses: { '200': ok('OpenAPI 3.1') } } },
    },
    components: {
      securitySchemes: { key: { type: 'http', scheme: 'bearer', description: 'A key of the store' } },
      schemas: {
        Event: jsonSchema(envelopeSchema),
        Flow: jsonSchema(flowSchema),
        Message: jsonSchema(messageSchema),
        Rule: jsonSchema(ruleSchema),
        PutPerson: jsonSchema(putPersonSchema),
        Mapping: jsonSchema(mappingSchema),
        Import: jsonSchema(importSchema),
        Form: jsonSchema(formSchema),
        Move: jsonSchema(moveSchema),
        Taken: {
          type: 'object',
          required: ['accepted', 'duplicates', 'rejected'],
          properties: {
            accepted: { type: 'integer' },
            duplicates: { type: 'integer' },
            rejected: {
              type: 'array',
              items: {
                type: 'object',
                required: ['index', 'problems'],
                properties: {
                  index: { type: 'integer' },
                  problems: { type: 'array', items: { $ref: '#/components/schemas/FieldProblem' } },
                },
              },
            },
          },
        },
        FieldProblem: {
          type: 'object',
          required: ['field', 'wrong', 'right'],
          properties: { field: { type: 'string' }, wrong: { type: 'string' }, right: { type: 'string' } },
        },
        Problem: {
          type: 'object',
          required: ['type', 'title', 'status', 'detail'],
          properties: {
            type: { type: 'string' },
            title: { type: 'string' },
            status: { type: 'integer' },
            detail: { type: 'string' },
            errors: { type: 'array', items: { $ref: '#/components/schemas/FieldProblem' } },
          },
        },
      },
    },
  };
}
