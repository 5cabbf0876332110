import { CARD_OF, cardInput } from '@/core/cards';
import { commentChange, commentInput, notifiedInput, SPOKEN_OF } from '@/core/comments';
import { body, jsonSchema, ok, operation, parameter } from './parts';

const id = [parameter('id', 'path', 'The number of the comment')];

/** What colleagues say to each other, and what each is told of. */
export const commentPaths = {
  '/comments': {
    get: operation('What was said of something, the oldest first, and who can be named', ok('{comments, team}'), {
      parameters: [parameter('kind', 'query', SPOKEN_OF.join(', ')), parameter('key', 'query', 'Its key')],
    }),
    post: operation(
      'Says something; whoever is named with @ hears of it. For people, not for keys',
      ok('{id}'),
      { requestBody: body(jsonSchema(commentInput)) },
      '201',
    ),
  },
  '/comments/{id}': {
    patch: operation('Rewords a comment of one’s own, or settles one, or opens it again', ok('{id}'), {
      parameters: id,
      requestBody: body(jsonSchema(commentChange)),
    }),
    delete: operation('Deletes a comment of one’s own; an owner of the store anybody’s', ok('{id}'), { parameters: id }),
  },
  '/cards': {
    get: operation('What things of a kind are for, who looks after each, and their tags', ok('{cards, team, tags}'), {
      parameters: [parameter('kind', 'query', CARD_OF.join(', '))],
    }),
  },
  '/cards/{kind}/{key}': {
    put: operation('Says what something is for, who looks after it, and its tags', ok('{about, owner, tags}'), {
      parameters: [parameter('kind', 'path', CARD_OF.join(', ')), parameter('key', 'path', 'Its key')],
      requestBody: body(jsonSchema(cardInput)),
    }),
  },
  '/notices': {
    get: operation('What one was told of, the newest first', ok('{unseen, items}')),
    post: operation('Marks them as seen up to one of them', ok('{unseen, items}'), { requestBody: body({ type: 'object' }) }),
  },
  '/account/notified': {
    get: operation('How one wants to hear of each kind', ok('{notified}')),
    put: operation('Changes that', ok('{notified}'), { requestBody: body(jsonSchema(notifiedInput)) }),
  },
};
