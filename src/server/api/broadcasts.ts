import { DIDS, reachInput, SPLITS_OF_SENDS } from '@/core/api';
import { body, jsonSchema, key, ok, operation, parameter } from './parts';

const step = parameter('step', 'query', 'The id of one of its messages alone');

/** What it does with broadcasts. A broadcast is a flow (`as: "broadcast"`): it is written, published, paused and archived as one. */
export const broadcastPaths = {
  '/broadcasts': {
    get: operation('Broadcasts: where each stands and what it came to', ok('{broadcasts}'), {
      parameters: [parameter('archived', 'query', 'yes: those that are put away')],
    }),
  },
  '/broadcasts/{key}': {
    get: operation(
      'A broadcast: how far it has come, its trial, what each message came to, who did not get it and why',
      ok('The broadcast'),
      {
        parameters: key,
      },
    ),
  },
  '/broadcasts/{key}/split': {
    get: operation('What its messages came to by a part', ok('{by, parts}'), {
      parameters: [...key, parameter('by', 'query', SPLITS_OF_SENDS.join(', ')), step],
    }),
  },
  '/broadcasts/{key}/people': {
    get: operation('Who got it and what they did, a hundred at a time', ok('{items, next}'), {
      parameters: [...key, parameter('did', 'query', DIDS.join(', ')), step, parameter('before', 'query', '`next` of the page before')],
    }),
  },
  '/broadcasts/{key}/people/file': {
    get: operation('The same, all of them, as CSV', ok('CSV'), { parameters: [...key, parameter('did', 'query', DIDS.join(', ')), step] }),
  },
  '/calendar': {
    get: operation('What goes out by day: broadcasts, and messages of flows that have gone or are due', ok('{from, to, today, days}'), {
      parameters: [parameter('from', 'query', 'A day such as 2026-12-01; today'), parameter('to', 'query', 'A day; four weeks later')],
    }),
  },
  '/rules/reach': {
    post: operation(
      'How many people a rule holds of, how many of them can get a message, and why the others cannot',
      ok('{people, reachable, leftOut, held}'),
      {
        requestBody: body(jsonSchema(reachInput)),
      },
    ),
  },
};
