import { consentInput, eventInput, letterInput } from '@/core/api';
import { SORTS } from '@/data/people';
import { bulkActSchema } from '../work';
import { MOST_EVENTS } from '../ingest';
import { jsonSchema, ok, parameter, body, operation, id, nothing, text, work } from './parts';

/** What the public interface does with events and people, and acts on many of them. */
export const peoplePaths = {
  '/events': {
    post: operation(
      `Takes in one event or a batch of up to ${MOST_EVENTS} (CloudEvents 1.0 or plain JSON of the same shape). The same source and id count once.`,
      ok('What was taken, what had been there already, and what was wrong', { $ref: '#/components/schemas/Taken' }),
      {
        requestBody: {
          required: true,
          content: {
            'application/json': {
              schema: {
                oneOf: [
                  { $ref: '#/components/schemas/Event' },
                  { type: 'array', items: { $ref: '#/components/schemas/Event' }, maxItems: MOST_EVENTS },
                ],
              },
            },
            'application/cloudevents+json': { schema: { $ref: '#/components/schemas/Event' } },
            'application/cloudevents-batch+json': { schema: { type: 'array', items: { $ref: '#/components/schemas/Event' } } },
          },
        },
      },
      '202',
    ),
  },
  '/people': {
    get: operation('Lists people', ok('A page of people and how many there are'), {
      parameters: [
        parameter('q', 'query', 'Words in name, address or id'),
        parameter('rule', 'query', 'A rule as JSON'),
        parameter('inside', 'query', "A flow's key"),
        parameter('sort', 'query', 'Order', { examples: [...SORTS, 'attribute:country'] }),
        parameter('direction', 'query', 'up or down', { enum: ['up', 'down'] }),
        parameter('ids', 'query', 'Numbers of people, with commas'),
        parameter('count', 'query', 'no: the total is not counted', { enum: ['no'] }),
        parameter('limit', 'query', 'At most 200'),
        parameter('offset', 'query', 'How many to pass over'),
      ],
    }),
  },
  '/rules/say': {
    post: operation('Says a rule as a sentence, or what is wrong with it', ok('{says, problems}'), {
      requestBody: body({ type: 'object', required: ['rule'], properties: { rule: { $ref: '#/components/schemas/Rule' } } }),
    }),
  },
  '/rules/explain': {
    post: operation('Looks at a rule for one person', ok('{holds, until, because}'), {
      requestBody: body({
        type: 'object',
        required: ['rule', 'person'],
        properties: { rule: { $ref: '#/components/schemas/Rule' }, person: text },
      }),
    }),
  },
  '/rules/count': {
    post: operation(
      'Counts who matches a rule, what each part leaves, and who can be reached',
      ok('{everybody, count, isExact, plusMinus, reachable, narrowing, examples, nearly}'),
      {
        requestBody: body({
          type: 'object',
          required: ['rule'],
          properties: { rule: { $ref: '#/components/schemas/Rule' }, sample: { type: 'boolean', default: false } },
        }),
      },
    ),
  },
  '/people/{id}': {
    get: operation('One person: attributes, consent, orders, flows', ok('The person'), { parameters: id }),
    put: operation('Creates or updates a person by external id', ok('The person'), {
      parameters: id,
      requestBody: body({ $ref: '#/components/schemas/PutPerson' }),
    }),
    patch: operation('Writes attributes by hand; null takes one away', ok('The person'), {
      parameters: id,
      requestBody: body({ type: 'object', required: ['attributes'], properties: { attributes: { type: 'object' } } }),
    }),
    delete: operation('Erases the person', nothing, { parameters: id }, '204'),
  },
  '/people/{id}/timeline': {
    get: operation("One person's story, newest first", ok('A page; `next` continues it'), {
      parameters: [
        ...id,
        parameter('limit', 'query', 'At most 200'),
        parameter('before', 'query', 'The value of `next`'),
        parameter('kinds', 'query', 'event, trace, send, consent, note; several with commas'),
        parameter('q', 'query', 'Words'),
      ],
    }),
  },
  '/people/{id}/tags': {
    post: operation(
      'Puts a tag on or takes it off',
      nothing,
      {
        parameters: id,
        requestBody: body({ type: 'object', required: ['tag'], properties: { tag: text, isOn: { type: 'boolean', default: true } } }),
      },
      '204',
    ),
  },
  '/people/{id}/lists': {
    post: operation('Puts on a list or takes off', ok('on, off, or asked where the list has double opt-in'), {
      parameters: id,
      requestBody: body({ type: 'object', required: ['list'], properties: { list: text, isOn: { type: 'boolean', default: true } } }),
    }),
  },
  '/people/{id}/consent': {
    post: operation(
      'Enters a word on consent',
      nothing,
      {
        parameters: id,
        requestBody: body(jsonSchema(consentInput)),
      },
      '204',
    ),
  },
  '/people/{id}/consent-log': { get: operation('All that was ever said on consent', ok('The log, newest first'), { parameters: id }) },
  '/people/{id}/events': {
    post: operation(
      'Records an event by hand',
      nothing,
      {
        parameters: id,
        requestBody: body(jsonSchema(eventInput)),
      },
      '204',
    ),
  },
  '/people/{id}/flows': {
    post: operation(
      'Starts a flow for the person',
      nothing,
      { parameters: id, requestBody: body({ type: 'object', required: ['flow'], properties: { flow: text } }) },
      '204',
    ),
  },
  '/people/{id}/runs/{run}': {
    delete: operation(
      'Takes the person out of a run',
      nothing,
      { parameters: [...id, parameter('run', 'path', "The run's number")] },
      '204',
    ),
  },
  '/people/{id}/letters': {
    post: operation(
      'Writes to the person',
      nothing,
      {
        parameters: id,
        requestBody: body(jsonSchema(letterInput)),
      },
      '204',
    ),
  },
  '/people/{id}/suppress': { post: operation('Never write to this address', nothing, { parameters: id }, '204') },
  '/people/{id}/merge': {
    post: operation('Merges with another person', ok('id of the one who goes on'), {
      parameters: id,
      requestBody: body({ type: 'object', required: ['other'], properties: { other: text } }),
    }),
  },
  '/people/{id}/why': {
    get: operation('Why the person did not get something from a flow', ok('The answer, each condition, each decision'), {
      parameters: [...id, parameter('flow', 'query', "The flow's key")],
    }),
  },
  '/people/{id}/everything': { get: operation('Everything on file about the person', ok('By table'), { parameters: id }) },
  '/merges': { get: operation('Who turned out to be one', ok('A page; `next` continues it')) },
  '/merges/{id}/undo': {
    post: operation('Undoes a merge within 30 days', ok('Both people'), { parameters: [parameter('id', 'path', 'Its number')] }),
  },
  '/bulk': {
    get: operation('Bulk acts, newest first', ok('The acts')),
    post: operation(
      'Does something for everybody who matches',
      ok('The work'),
      {
        requestBody: body({
          type: 'object',
          required: ['do', 'who', 'count'],
          properties: { do: jsonSchema(bulkActSchema), who: text, count: { type: 'integer' } },
        }),
      },
      '201',
    ),
  },
  '/works/{id}': { get: operation('How far long work is', ok('The work'), { parameters: work }) },
  '/works/{id}/stop': { post: operation('Cancels long work', ok('The work'), { parameters: work }) },
  '/works/{id}/undo': { post: operation('Takes long work back', ok('The work'), { parameters: work }) },
  '/works/{id}/bad-rows': {
    get: operation('The bad rows of an import', { description: 'CSV', content: { 'text/csv': {} } }, { parameters: work }),
  },
};
