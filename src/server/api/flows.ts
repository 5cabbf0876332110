import { codeCheckInput, codeHookInput, issueInput, loadInput, presenceInput, productsInput, starterInput, taskInput } from '@/core/api';
import { offerSchema } from '@/core/offers';
import { productInput } from '@/core/products';
import { jsonSchema, ok, parameter, DUE, body, operation, period, key, nothing, offer } from './parts';

/** What it does with flows and what they draw on: offers, products, what they ask of others. */
export const flowPaths = {
  '/flows/{key}/rehearse': {
    get: operation(
      'What a rehearsal has to know, so that it can be held elsewhere: the store’s present, limits, offers and tables, and somebody on file',
      ok('{store, onFile?}; maps and sets are lists under $map and $set'),
      { parameters: [...key, parameter('person', 'query', 'External id, or ~ and a number')] },
    ),
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
    get: operation('What those are called whom a backtest names by number', ok('{people: [{person, name}]}'), {
      parameters: [...key, parameter('people', 'query', 'Numbers with commas between them, at most a hundred')],
    }),
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
  '/flows/{key}/archive': {
    post: operation('Puts it away: nobody enters, whoever is inside leaves', ok('The flow'), { parameters: key }),
  },
  '/flows/{key}/restore': {
    post: operation('Brings it back that was put away: paused, or as the draft it was', ok('The flow'), { parameters: key }),
  },
  '/starters/{key}': {
    delete: operation('Removes a starter of the store’s own', nothing, { parameters: [parameter('key', 'path', 'Its key')] }),
  },
  '/starters': {
    get: operation('Flows to begin with, those of the store first', ok('{starters: [{key, name, says, needs, document, own}]}')),
    post: operation('Keeps a flow to begin others with', ok('{key}'), { requestBody: body(jsonSchema(starterInput)) }, '201'),
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
  '/codes/hook': {
    get: operation('Where the shop is told of each code that is issued, and what failed last', ok('{url, failed}')),
    put: operation('Sets it; null ends it', ok('{url, failed}'), { requestBody: body(jsonSchema(codeHookInput)) }),
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
  '/flows': {
    get: operation('Lists flows with their figures of the last 30 days', ok('The flows'), {
      parameters: [parameter('archived', 'query', 'yes: those that are put away; no (as it is when left out): all others')],
    }),
  },
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
          parameter(
            'enter',
            'query',
            'new (as it is when left out) or matching: whether those enter, too, for whom its rule holds already',
          ),
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
    get: operation('Figures of a flow over a period, as a whole and by step', ok('The report'), {
      parameters: [...key, ...period, parameter('version', 'query', 'One version alone; all of them when left out')],
    }),
  },
  '/flows/{key}/presence': {
    post: operation(
      'Says where somebody is in a flow that they have open, and hears who else is',
      ok('{revision, others: [{name, step}]}'),
      {
        parameters: key,
        requestBody: body(jsonSchema(presenceInput)),
      },
    ),
  },
  '/flows/{key}/report/{step}': {
    get: operation(
      'One message of a flow over a period: its versions, its links, when it is opened and clicked',
      ok('{forms, links, openedAfter, clickedAfter, openedAt}'),
      { parameters: [...key, parameter('step', 'path', 'The id of the step'), ...period] },
    ),
  },
};
