import { attributeInput, listInput, nameInput, renameInput, sourceInput, viewInput } from '@/core/api';
import { segmentSchema } from '@/core/segments';
import { EXPORTS } from '@/data/work';
import { lookupTableInput, lookupTableVersionInput } from '@/core/api';
import { jsonSchema, ok, parameter, body, operation, nothing, text, source, name, form, list, segment, table, period } from './parts';

/** What it does with sources, the catalogue, files, forms, lists, segments and tables. */
export const dataPaths = {
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
  '/tables': { get: operation('Tables in which flows look rows up', ok('{tables}')) },
  '/tables/{key}': {
    get: operation('A table, with its versions and the flows that look into it', ok('The table'), { parameters: table }),
    put: operation('Loads a table, or another version of it: a CSV, and the column by which rows are looked up', ok('The table'), {
      parameters: table,
      requestBody: body(jsonSchema(lookupTableInput)),
    }),
    delete: operation('Archives a table that no flow looks into', nothing, { parameters: table }),
  },
  '/tables/{key}/rows': {
    get: operation('Its rows, of the version in use or of another', ok('{total, rows}'), {
      parameters: [
        ...table,
        parameter('version', 'query', 'Which version; the one in use when left out'),
        parameter('q', 'query', 'Words that a row holds'),
        parameter('limit', 'query', 'How many, up to 1000; 100 when left out'),
        parameter('offset', 'query', 'How many to pass over'),
      ],
    }),
  },
  '/tables/{key}/restore': {
    post: operation('Lets flows look into a version that is kept', ok('The table'), {
      parameters: table,
      requestBody: body(jsonSchema(lookupTableVersionInput)),
    }),
  },
};
