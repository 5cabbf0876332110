import { passwordInput, countryGroupInput, limitsInput, trackingInput, tableInput, suppressionsInput } from '@/core/api';
import { flowSchema } from '@/core/flows';
import { messageSchema } from '@/core/messages';
import { formSchema } from '@/core/forms';
import { importSchema } from '@/core/imports';
import { checkoutBoxSchema } from '@/core/people';
import { ruleSchema } from '@/core/rules';
import { mappingSchema } from '@/core/sources';
import { envelopeSchema } from '../ingest';
import { putPersonSchema } from '../people';
import { moveSchema } from '../http';
import { jsonSchema, ok, parameter, body, operation, nothing } from './parts';
import { dataPaths } from './data';
import { flowPaths } from './flows';
import { letterPaths } from './letters';
import { peoplePaths } from './people';
import { revenuePaths } from './revenue';
import { broadcastPaths } from './broadcasts';
import { commentPaths } from './comments';
import { teamPaths } from './team';

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
      ...revenuePaths,
      ...teamPaths,
      ...broadcastPaths,
      ...commentPaths,
      '/sending': {
        get: operation('How much marketing anybody gets, and when', ok('{limits, closedDays}')),
        put: operation('Changes it', ok('The same'), { requestBody: body(jsonSchema(limitsInput)) }),
      },
      '/sending/calendar': { get: operation('What went out on each day of the last half year', ok('{days}')) },
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
      '/metrics': {
        get: operation('How the store is doing, in the text format of Prometheus', {
          description: 'Samples',
          content: { 'text/plain': {} },
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
          summary: 'Check whether the database answers, a worker is alive and the run loop finishes what it claims',
          security: [],
          responses: { '200': ok('All is well'), '503': ok('What is wrong') },
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
