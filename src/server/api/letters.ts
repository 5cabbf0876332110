import {
  brandInput,
  feedInput,
  libraryInput,
  productFeedInput,
  renderInput,
  replaceInput,
  senderInput,
  testInput,
  textPricesInput,
} from '@/core/api';
import { warmUpSchema } from '@/core/messages';
import { body, jsonSchema, nothing, ok, operation, parameter } from './parts';

const item = [parameter('key', 'path', 'Its key in the library, such as cart-reminder')];
const brandKey = [parameter('key', 'path', "The brand's key")];
const feedKey = [parameter('key', 'path', "The feed's key")];

/** What it does with letters: the library, how they look, feeds that they show, and trying them out. */
export const letterPaths = {
  '/messages': {
    get: operation('The library: messages and blocks, with where they are used', ok('{items}'), {
      parameters: [parameter('kind', 'query', 'message or blocks; both when left out')],
    }),
  },
  '/messages/{key}': {
    get: operation('Something of the library, with its revisions', ok('The item; its revision is the ETag'), { parameters: item }),
    put: operation('Stores a message or blocks; with If-Match, only over the revision that was seen', ok('The item'), {
      parameters: item,
      requestBody: body(jsonSchema(libraryInput)),
    }),
    delete: operation('Archives it; what was put into flows stays', nothing, { parameters: item }, '204'),
  },
  '/messages/{key}/restore': { post: operation('Brings it back from the archive', nothing, { parameters: item }, '204') },
  '/messages/{key}/revisions/{revision}': {
    get: operation('A revision as it was', ok('{revision, document}'), {
      parameters: [...item, parameter('revision', 'path', 'Its number')],
    }),
  },
  '/messages/render': {
    post: operation(
      'Shows a message as somebody would get it; nothing is stored and nothing goes out',
      ok('{subject, preview, html, text, bytes, problems, products, holds, event}'),
      { requestBody: body(jsonSchema(renderInput)) },
    ),
  },
  '/messages/test': {
    post: operation(
      'Sends a letter to a few addresses to try it out: marked as such, counted nowhere',
      ok('{sent}'),
      {
        requestBody: body(jsonSchema(testInput)),
      },
      '202',
    ),
  },
  '/messages/people': {
    get: operation('People by whom a message shows what it can look like', ok('{people: [{id, name, tells}]}'), {
      parameters: [parameter('event', 'query', 'The type of event that it is about')],
    }),
  },
  '/messages/replace': {
    post: operation(
      'Puts other words in the place of some, in the library and in drafts; isTrial only tells where',
      ok('{places, changed}'),
      {
        requestBody: body(jsonSchema(replaceInput)),
      },
    ),
  },
  '/brands': { get: operation('How letters look: all brands, the first one first', ok('{brands}')) },
  '/brands/{key}': {
    get: operation('A brand', ok('The brand'), { parameters: brandKey }),
    put: operation('Stores a brand; every letter that is set in it follows', ok('The brand'), {
      parameters: brandKey,
      requestBody: body(jsonSchema(brandInput)),
    }),
    delete: operation('Deletes a brand that is not the first', nothing, { parameters: brandKey }, '204'),
  },
  '/product-feeds': { get: operation('Where products are read, and what came of it the last time', ok('{feeds}')) },
  '/product-feeds/{key}': {
    put: operation('Stores where products are read (CSV, JSON, RSS, Atom), and reads them', ok('The feed'), {
      parameters: feedKey,
      requestBody: body(jsonSchema(productFeedInput)),
    }),
    delete: operation('Deletes it; the products stay', nothing, { parameters: feedKey }, '204'),
  },
  '/senders/{key}/warm-up': {
    put: operation(
      'Lets a sender grow day by day: letters on the first day, per cent more each day, and with how many it is known',
      nothing,
      { parameters: [parameter('key', 'path', "The sender's key, or own")], requestBody: body(jsonSchema(warmUpSchema)) },
      '204',
    ),
    delete: operation('As many go out as are due', nothing, { parameters: [parameter('key', 'path', "The sender's key, or own")] }, '204'),
  },
  '/senders/{key}/records': {
    get: operation('Which records the DNS of a sender’s domain is to have, and how each stands now', ok('{domain, records}'), {
      parameters: [parameter('key', 'path', "The sender's key, or own")],
    }),
  },
  '/senders': { get: operation('In whose name letters go out', ok('{store, senders}')) },
  '/senders/{key}': {
    put: operation('Stores a sender; its address is asked by mail whether it may be used', ok('The sender'), {
      parameters: [parameter('key', 'path', "The sender's key")],
      requestBody: body(jsonSchema(senderInput)),
    }),
    delete: operation(
      'Deletes a sender; letters go out in the store’s name then',
      nothing,
      {
        parameters: [parameter('key', 'path', "The sender's key")],
      },
      '204',
    ),
  },
  '/text-prices': {
    get: operation('What one part of a text message costs, by country', ok('{currency, prices}')),
    put: operation('Stores it', ok('The same'), { requestBody: body(jsonSchema(textPricesInput)) }),
  },
  '/feeds': { get: operation('Feeds that letters show, with their entries', ok('{feeds}')) },
  '/feeds/{key}': {
    put: operation('Stores where a feed is to be read, and reads it', ok('The feed'), {
      parameters: feedKey,
      requestBody: body(jsonSchema(feedInput)),
    }),
    delete: operation('Deletes a feed', nothing, { parameters: feedKey }, '204'),
  },
};
