import { z } from 'zod';
import {
  attributeInput,
  consentInput,
  eventInput,
  letterInput,
  listInput,
  nameInput,
  passwordInput,
  renameInput,
  sourceInput,
  countryGroupInput,
  codeCheckInput,
  issueInput,
  limitsInput,
  loadInput,
  productsInput,
  taskInput,
  trackingInput,
  tableInput,
  suppressionsInput,
  viewInput,
} from '@/core/api';
import { flowSchema } from '@/core/flows';
import { messageSchema } from '@/core/messages';
import { formSchema } from '@/core/forms';
import { importSchema } from '@/core/imports';
import { checkoutBoxSchema } from '@/core/people';
import { ruleSchema } from '@/core/rules';
import { offerSchema } from '@/core/offers';
import { productInput } from '@/core/products';
import { segmentSchema } from '@/core/segments';
import { mappingSchema } from '@/core/sources';
import { SORTS } from '@/data/people';
import { EXPORTS } from '@/data/work';
import { bulkActSchema } from '../work';
import { envelopeSchema, MOST_EVENTS } from '../ingest';
import { putPersonSchema } from '../people';
import { moveSchema } from '../http';

const jsonSchema = (schema: z.ZodType) => {
  const { $schema: _, ...rest } = z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any', target: 'draft-2020-12' });
  return rest;
};

/** The JSON Schema of a flow document, viatic.flow/1. */
export const flowJsonSchema = () => z.toJSONSchema(flowSchema, { io: 'input', unrepresentable: 'any' });

const problem = {
  description: 'A problem (RFC 9457): what was wrong, in which field, and what is right',
  content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
};
const ok = (description: string, schema: object = { type: 'object' }) => ({ description, content: { 'application/json': { schema } } });
const parameter = (name: string, where: 'path' | 'query', description: string, more: object = {}) => ({
  name,
  in: where,
  required: where === 'path',
  description,
  schema: { type: 'string', ...more },
});
const DUE = parameter('due', 'query', 'send (as it is when left out) or drop: what becomes of what fell due while it was paused');
const body = (schema: object) => ({ required: true, content: { 'application/json': { schema } } });
const operation = (summary: string, answer: object, more: object = {}, status = '200') => ({
  summary,
  ...more,
  responses: { [status]: answer, '400': problem, '401': problem, default: problem },
});

const period = [
  parameter('from', 'query', 'Beginning, RFC 3339 or a date; 30 days before the end when left out'),
  parameter('to', 'query', 'End, inclusive; now when left out'),
  parameter('model', 'query', 'Credit model', { enum: ['last-click'] }),
];
const key = [parameter('key', 'path', "The flow's key, such as cart-left-behind")];
const id = [parameter('id', 'path', "The person's external id, or ~ and our own number for those who have none")];

const nothing = { description: 'Done' };
const text = { type: 'string' };
const work = [parameter('id', 'path', 'Its number')];
const source = [parameter('key', 'path', "The source's key")];
const name = [parameter('name', 'path', "The attribute's name")];
const form = [parameter('key', 'path', "The form's key")];
const list = [parameter('key', 'path', "The list's key")];
const segment = [parameter('key', 'path', "The segment's key")];
const offer = [parameter('key', 'path', "The offer's key")];

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
      '/sources': {
        get: operation('Sources with what they brought', ok('The sources')),
        post: operation(
          'Makes a source; a key or secret is in this answer and never again',
          ok('source, shownOnce'),
          {
            requestBody: body(jsonSchema(sourceInput)),
          },
          '201',
        ),
      },
      '/sources/{key}': {
        get: operation('A source with its rate, mapping and last bodies', ok('The source'), { parameters: source }),
        patch: operation('Renames, revokes, restores; newSecret', ok('source, shownOnce'), {
          parameters: source,
          requestBody: body({ type: 'object' }),
        }),
      },
      '/sources/{key}/arrivals': { get: operation('Its last 50 events', ok('The events'), { parameters: source }) },
      '/sources/{key}/rejections': {
        get: operation('What was refused, with the reason and the raw body', ok('A page; `next` continues it'), { parameters: source }),
      },
      '/sources/{key}/test': { post: operation('Sends a test event into it', ok('What became of it'), { parameters: source }) },
      '/sources/{key}/mapping': {
        put: operation('Keeps a mapping as the next version', ok('The source'), {
          parameters: source,
          requestBody: body({ $ref: '#/components/schemas/Mapping' }),
        }),
      },
      '/sources/{key}/mapping/try': {
        post: operation('Tries a mapping on the last bodies', ok('What it makes of them'), {
          parameters: source,
          requestBody: body({
            type: 'object',
            required: ['mapping'],
            properties: { mapping: { $ref: '#/components/schemas/Mapping' }, sample: text },
          }),
        }),
      },
      '/catalogue': { get: operation('Every event type that was seen', ok('The types')) },
      '/catalogue/{type}': {
        get: operation('One event type: properties, values, uses, warnings', ok('The type'), {
          parameters: [parameter('type', 'path', 'Such as cart.updated')],
        }),
      },
      '/attributes': {
        get: operation('Attributes with types and uses', ok('The attributes'), {
          parameters: [parameter('count', 'query', 'no: without how many people have each, which takes a look at everybody')],
        }),
      },
      '/attributes/{name}': {
        put: operation(
          'Declares an attribute',
          nothing,
          {
            parameters: name,
            requestBody: body(jsonSchema(attributeInput)),
          },
          '204',
        ),
        patch: operation(
          'Retires it or brings it back',
          nothing,
          {
            parameters: name,
            requestBody: body({ type: 'object', required: ['isRetired'], properties: { isRetired: { type: 'boolean' } } }),
          },
          '204',
        ),
      },
      '/attributes/{name}/rename': {
        post: operation('Renames it, or merges it into one that is there', ok('people'), {
          parameters: name,
          requestBody: body(jsonSchema(renameInput)),
        }),
      },
      '/attributes/{name}/values': {
        get: operation('Its values and spellings of the same', ok('values, groups'), { parameters: name }),
        post: operation('Brings spellings into one', ok('people'), {
          parameters: name,
          requestBody: body({
            type: 'object',
            required: ['groups'],
            properties: {
              groups: {
                type: 'array',
                items: {
                  type: 'object',
                  required: ['keep', 'variants'],
                  properties: { keep: text, variants: { type: 'array', items: text } },
                },
              },
            },
          }),
        }),
      },
      '/uploads': {
        post: operation(
          'Takes a file in',
          ok('What it looks like'),
          {
            parameters: [parameter('name', 'query', 'Its name')],
            requestBody: { required: true, content: { 'application/octet-stream': {} } },
          },
          '201',
        ),
      },
      '/uploads/{key}': {
        get: operation('What a file looks like', ok('encoding, delimiter, columns, first rows'), {
          parameters: [
            parameter('key', 'path', 'Its key'),
            parameter('encoding', 'query', 'Encoding'),
            parameter('delimiter', 'query', 'One character'),
            parameter('header', 'query', 'yes or no'),
          ],
        }),
        delete: operation('Removes it', nothing, { parameters: [parameter('key', 'path', 'Its key')] }, '204'),
      },
      '/imports': {
        get: operation('Imports, newest first', ok('The imports')),
        post: operation(
          'Starts an import',
          ok('The work'),
          {
            parameters: [parameter('dry', 'query', 'yes: it is only checked', { enum: ['yes'] })],
            requestBody: body({ $ref: '#/components/schemas/Import' }),
          },
          '201',
        ),
      },
      '/exports': {
        get: operation(
          'Streams people, events, orders or the consent log out',
          { description: 'CSV or NDJSON', content: { 'text/csv': {}, 'application/x-ndjson': {} } },
          {
            parameters: [
              parameter('what', 'query', 'What', { enum: EXPORTS }),
              parameter('format', 'query', 'How', { enum: ['csv', 'ndjson'] }),
              parameter('q', 'query', 'Words'),
              parameter('rule', 'query', 'A rule as JSON'),
            ],
          },
        ),
      },
      '/forms': {
        get: operation('Forms', ok('The forms')),
        post: operation('Makes a form to begin with', ok('The form'), { requestBody: body(jsonSchema(nameInput)) }, '201'),
      },
      '/forms/{key}': {
        get: operation('A form', ok('The form'), { parameters: form }),
        put: operation('Stores a form; a new key makes a new one', ok('The form'), {
          parameters: form,
          requestBody: body({ $ref: '#/components/schemas/Form' }),
        }),
        patch: operation(
          'Opens, closes, puts away',
          nothing,
          {
            parameters: form,
            requestBody: body({ type: 'object', properties: { isOpen: { type: 'boolean' }, isArchived: { type: 'boolean' } } }),
          },
          '204',
        ),
      },
      '/files': {
        get: operation('Files that forms promise', ok('The files')),
        post: operation(
          'Keeps a file of up to 10 MB',
          ok('Its key'),
          {
            parameters: [parameter('name', 'query', 'Its name')],
            requestBody: { required: true, content: { 'application/octet-stream': {} } },
          },
          '201',
        ),
      },
      '/lists': {
        get: operation('Lists', ok('The lists')),
        post: operation('Makes a list', ok('The list'), { requestBody: body(jsonSchema(listInput)) }, '201'),
      },
      '/lists/{key}': {
        get: operation('A list', ok('The list'), { parameters: list }),
        put: operation('Changes it', ok('The list'), { parameters: list, requestBody: body(jsonSchema(listInput)) }),
        patch: operation(
          'Puts it away or brings it back',
          nothing,
          { parameters: list, requestBody: body({ type: 'object', properties: { isAway: { type: 'boolean' } } }) },
          '204',
        ),
      },
      '/lists/{key}/growth': { get: operation('How it has grown in 90 days', ok('By day'), { parameters: list }) },
      '/segments': { get: operation('Segments with their sizes', ok('The segments')) },
      '/segments/{key}': {
        get: operation('A segment: its rule, size, who of it can be reached, what its people are worth', ok('The segment'), {
          parameters: segment,
        }),
        put: operation('Stores a segment; with another rule it is built over everybody', ok('The segment'), {
          parameters: segment,
          requestBody: body(jsonSchema(segmentSchema)),
        }),
        delete: operation('Archives it; refused while something asks for it', nothing, { parameters: segment }, '204'),
      },
      '/segments/{key}/members': {
        get: operation('Who is in it and since when', ok('A page'), {
          parameters: [
            ...segment,
            parameter('limit', 'query', 'How many, up to 1000; 50 when left out'),
            parameter('offset', 'query', 'How many to pass over'),
          ],
        }),
      },
      '/segments/{key}/history': {
        get: operation('Its size by day, who joined and left', ok('By day'), { parameters: [...segment, ...period.slice(0, 2)] }),
      },
      '/segments/{key}/moves': {
        get: operation('Who joined and left lately, with the moment and because of what', ok('The latest 50'), { parameters: segment }),
      },
      '/segments/{key}/list': {
        post: operation(
          'Makes a list of who is in it now',
          ok('The key of the list, and how many are on it'),
          { parameters: segment, requestBody: body(jsonSchema(nameInput)) },
          '201',
        ),
      },
      '/segments/{key}/restore': { post: operation('Brings an archived segment back', ok('The segment'), { parameters: segment }) },
      '/segments/ready': { get: operation('Segments of ours, filled in for this store', ok('The segments')) },
      '/segments/overlaps': {
        get: operation('How many people any two segments have in common', ok('The pairs'), {
          parameters: [parameter('keys', 'query', 'Keys with commas between; all when left out')],
        }),
      },
      '/tags': { get: operation('Tags with how many people have each', ok('The tags')) },
      '/views': {
        get: operation('Saved views of the people table', ok('The views')),
        post: operation('Saves a view', ok('The views'), { requestBody: body(jsonSchema(viewInput)) }, '201'),
      },
      '/views/{id}': { delete: operation('Removes a view', ok('The views'), { parameters: [parameter('id', 'path', 'Its number')] }) },
      '/flows/{key}/rehearse': {
        post: operation(
          'Sends people through a flow on a virtual clock; nothing leaves the house and nothing is stored',
          ok('{now, people: [{runs, sends, events, known, until}]}'),
          {
            parameters: key,
            requestBody: body({ type: 'object' }),
          },
        ),
      },
      '/flows/{key}/backtest': {
        post: operation(
          'Plays a flow over what really happened between two moments, as long work',
          ok('{id}: the work, whose result holds the counts'),
          { parameters: key, requestBody: body({ type: 'object' }) },
          '202',
        ),
      },
      '/flows/{key}/versions': {
        get: operation(
          'The versions of a flow, the newest first, with what each changed',
          ok('{versions: [{version, at, by, changes, inside}]}'),
          {
            parameters: key,
          },
        ),
      },
      '/flows/{key}/versions/{version}': {
        get: operation('One version of a flow as a document', ok('viatic.flow/1'), {
          parameters: [...key, parameter('version', 'path', 'Its number')],
        }),
      },
      '/flows/{key}/versions/{version}/restore': {
        post: operation('Makes a version the draft again', ok('The flow'), {
          parameters: [...key, parameter('version', 'path', 'Its number')],
        }),
      },
      '/flows/{key}/inside': {
        get: operation('Who is inside a flow, since when and until when', ok('{people: [{run, person, step, since, until}], isAll}'), {
          parameters: [...key, parameter('step', 'query', 'At this step only')],
        }),
      },
      '/departures': {
        get: operation('What goes on when, by hour and flow, and how many may enter anew', ok('{departures, entries}'), {
          parameters: [
            parameter('from', 'query', 'A moment; now when left out'),
            parameter('to', 'query', 'A moment; two days later when left out'),
          ],
        }),
      },
      '/runs/{id}/leave': {
        post: operation('Ends a run', ok('{run}'), { parameters: [parameter('id', 'path', 'The number of the run')] }),
      },
      '/runs/{id}/move': {
        post: operation('Puts a run that is inside at another step', ok('{run, step}'), {
          parameters: [parameter('id', 'path', 'The number of the run')],
          requestBody: body({ type: 'object', properties: { step: { type: 'string' } }, required: ['step'] }),
        }),
      },
      '/starters': {
        get: operation('Flows to begin with, each with what it needs', ok('{starters: [{key, name, says, needs, document}]}')),
      },
      '/offers': { get: operation('Offers, with what has become of their codes', ok('{offers}')) },
      '/offers/{key}': {
        get: operation('An offer: its terms, guard and figures', ok('The offer'), { parameters: offer }),
        put: operation('Stores an offer; what has been issued keeps its own end', ok('The offer'), {
          parameters: offer,
          requestBody: body(jsonSchema(offerSchema)),
        }),
        delete: operation('Archives it; refused while flows that are on issue it', nothing, { parameters: offer }, '204'),
      },
      '/offers/{key}/restore': { post: operation('Brings an archived offer back', ok('The offer'), { parameters: offer }) },
      '/offers/{key}/report': {
        get: operation('Its codes by day and flow, what they cost and brought, and from whom they were kept', ok('The report'), {
          parameters: offer,
        }),
      },
      '/offers/{key}/codes': {
        get: operation('Its codes, those issued last first', ok('{codes, next}'), {
          parameters: [
            ...offer,
            parameter('state', 'query', 'open, used, expired or stored'),
            parameter('limit', 'query', 'How many, up to 1000; 100 when left out'),
            parameter('before', 'query', 'The `next` of the page before'),
          ],
        }),
        post: operation(
          'Issues a code to one person by hand',
          ok('The code'),
          { parameters: offer, requestBody: body(jsonSchema(issueInput)) },
          '201',
        ),
      },
      '/offers/{key}/stored': {
        post: operation('Lays codes in store that the shop has made', ok('{added, known}'), {
          parameters: offer,
          requestBody: body(jsonSchema(loadInput)),
        }),
      },
      '/codes/{code}': {
        get: operation('A code and what has become of it', ok('The code'), {
          parameters: [parameter('code', 'path', 'The code, however it is typed')],
        }),
      },
      '/codes/check': {
        post: operation(
          'Whether a code counts for a cart, why, and what it takes off, in minor units',
          ok('{valid, why, because, discount, lines}'),
          {
            requestBody: body(jsonSchema(codeCheckInput)),
          },
        ),
      },
      '/products': {
        get: operation('Products, by name', ok('{total, products}'), {
          parameters: [
            parameter('q', 'query', 'Words of the name, number or category'),
            parameter('limit', 'query', 'How many, up to 1000; 100 when left out'),
            parameter('offset', 'query', 'How many to pass over'),
          ],
        }),
        post: operation('Stores many products, or a table of them; what changes begins flows', ok('{stored}'), {
          requestBody: body(jsonSchema(productsInput)),
        }),
      },
      '/products/{sku}': {
        get: operation('A product', ok('The product'), { parameters: [parameter('sku', 'path', 'Its number in the shop')] }),
        put: operation(
          'Stores a product: what is left out stays; one that is there again, or costs something else, begins flows',
          ok('The product'),
          {
            parameters: [parameter('sku', 'path', 'Its number in the shop')],
            requestBody: body(jsonSchema(productInput)),
          },
        ),
      },
      '/tasks': {
        get: operation('What flows have asked colleagues to do', ok('{total, tasks}'), {
          parameters: [parameter('state', 'query', 'open, done or declined'), parameter('owner', 'query', 'Who does it')],
        }),
      },
      '/tasks/{id}': {
        patch: operation(
          'Closes a task: it is done, or will not be',
          nothing,
          { parameters: [parameter('id', 'path', 'Number of the task')], requestBody: body(jsonSchema(taskInput)) },
          '204',
        ),
      },
      '/calls': {
        get: operation('Calls that flows have made: those that wait, have failed, or were answered', ok('{hasSecret, totals, calls}')),
      },
      '/calls/secret': { post: operation('Makes another secret for signing calls', ok('{secret}'), {}, '201') },
      '/calls/{id}/retry': {
        post: operation(
          'Makes a call that has failed once more',
          nothing,
          { parameters: [parameter('id', 'path', 'Number of the call')] },
          '204',
        ),
      },
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
      '/flows': { get: operation('Lists flows with their figures of the last 30 days', ok('The flows')) },
      '/flows/{key}': {
        get: operation('A flow: state, draft, published document, preflight', ok('The flow; the ETag is the revision of the draft'), {
          parameters: key,
        }),
        put: operation('Stores a document as the draft; a new key makes a new flow', ok('The flow'), {
          parameters: key,
          requestBody: body({ $ref: '#/components/schemas/Flow' }),
        }),
      },
      '/flows/{key}/publish': {
        post: operation(
          'Makes the draft a version and switches the flow on; with If-Match, only when the draft still has that revision',
          ok('The flow'),
          {
            parameters: [
              ...key,
              parameter('inside', 'query', 'stay (as it is when left out) or move: what becomes of whoever is inside'),
              DUE,
            ],
          },
        ),
      },
      '/flows/{key}/pause': { post: operation('Pauses: nobody enters, nobody goes on', ok('The flow'), { parameters: key }) },
      '/flows/{key}/resume': { post: operation('Switches on again', ok('The flow'), { parameters: [...key, DUE] }) },
      '/flows/{key}/due': {
        get: operation(
          'What has fallen due while it is paused: how many people stand with nothing left to wait for, and before which steps',
          ok('{people, steps: [{step, says, isMessage, people}]}'),
          { parameters: key },
        ),
      },
      '/flows/{key}/preflight': {
        get: operation(
          'What the draft gets wrong, by its document, what is on file, the last 90 days, and its own checks',
          ok('{revision, findings: [{severity, code, place, says, advice, accepted, mend: {says, document}}], checks}'),
          { parameters: [parameter('key', 'path', 'Key of the flow')] },
        ),
      },
      '/flows/{key}/report': {
        get: operation('Figures of a flow over a period, as a whole and by step', ok('The report'), { parameters: [...key, ...period] }),
      },
      '/revenue': {
        get: operation('Takings, credited and uncredited, by flow and message and by day, in minor units', ok('The sums'), {
          parameters: period,
        }),
      },
      '/revenue/ledger': {
        get: operation('Every order with its credit, newest first', ok('A page; `next` continues it'), {
          parameters: [...period, parameter('before', 'query', 'The value of `next`'), parameter('limit', 'query', 'At most 200')],
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
