import { codeInput, inviteInput, keptSchema, passkeyAskInput, passkeyInput, roleInput, signingInInput, storeInput } from '@/core/api';
import { body, jsonSchema, nothing, ok, operation, parameter } from './parts';

const member = parameter('id', 'path', 'Their number');
const log = [
  parameter('actor', 'query', 'Only what they did'),
  parameter('what', 'query', 'Only of a kind, such as flow or flow.published'),
  parameter('q', 'query', 'Only with these words in it'),
  parameter('from', 'query', 'Beginning, RFC 3339 or a date'),
  parameter('to', 'query', 'End, inclusive'),
];

/** Who works here, and what they did. */
export const teamPaths = {
  '/store': {
    get: operation(
      'What the store says of itself, and how long things are kept',
      ok('{name, address, fromEmail, languages, zone, currency, kept}'),
    ),
    put: operation('Changes what the store says of itself', ok('The same'), { requestBody: body(jsonSchema(storeInput)) }),
  },
  '/store/kept': {
    put: operation('Changes how long things are kept', ok('The same'), { requestBody: body(jsonSchema(keptSchema)) }),
  },
  '/team': {
    get: operation('Who works here; for people, not for keys', ok('{members, signingIn}')),
    post: operation(
      'Asks somebody to work here, by mail; for owners',
      ok('{members, signingIn}'),
      { requestBody: body(jsonSchema(inviteInput)) },
      '201',
    ),
  },
  '/team/signing-in': {
    put: operation(
      'Changes after how many hours everybody signs in again, and whether a second factor is asked of them; for owners',
      ok('{members, signingIn}'),
      {
        requestBody: body(jsonSchema(signingInInput)),
      },
    ),
  },
  '/team/{id}': {
    put: operation('Gives somebody another role; for owners', ok('{members, signingIn}'), {
      parameters: [member],
      requestBody: body(jsonSchema(roleInput)),
    }),
    delete: operation('Takes somebody off the team; for owners', ok('{members, signingIn}'), { parameters: [member] }),
  },
  '/team/{id}/invite': {
    post: operation('Sends the link once more to somebody who has not joined yet; for owners', ok('{members, signingIn}'), {
      parameters: [member],
    }),
  },
  '/account/second': {
    get: operation('How the second factor of your own account stands', ok('{since, codesLeft, setup}')),
    post: operation('Draws a secret for an authenticator program (RFC 6238)', ok('{since, codesLeft, setup}'), {}, '201'),
    put: operation('Turns it on by a first code; the answer has the codes for when the device is lost', ok('{codes}'), {
      requestBody: body(jsonSchema(codeInput)),
    }),
    delete: operation('Turns it off by a code', nothing, { requestBody: body(jsonSchema(codeInput)) }, '204'),
  },
  '/account/passkeys': {
    get: operation('The passkeys of your own account', ok('{passkeys, canMake}')),
    post: operation('What a device is to be asked for that makes a passkey (WebAuthn); good for five minutes, once', ok('Options'), {
      requestBody: body(jsonSchema(passkeyAskInput)),
    }),
    put: operation('Stores the passkey that a device made', ok('{passkeys, canMake}'), { requestBody: body(jsonSchema(passkeyInput)) }),
  },
  '/account/passkeys/{id}': {
    delete: operation('Removes a passkey', ok('{passkeys, canMake}'), { parameters: [parameter('id', 'path', 'Its id')] }),
  },
  '/acts': {
    get: operation('What was done here, by whom and when, newest first', ok('{acts, next, actors, kinds}'), {
      parameters: [...log, parameter('before', 'query', 'The value of `next`'), parameter('limit', 'query', 'At most 200')],
    }),
  },
  '/acts/file': { get: operation('The same as CSV', ok('A file'), { parameters: log }) },
};
