import { z } from 'zod';
import { flowSchema } from '@/core/flows';
import { messageSchema } from '@/core/messages';
import { ruleSchema } from '@/core/rules';
import { envelopeSchema, MOST_EVENTS } from '../ingest/parse';
import { putPersonSchema } from '../people';
import { moveSchema } from './bodies';

const jsonSchema = (schema: z.ZodType) => {
  const { $schema: _, ...rest } = z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any', target: 'draft-2020-12' });
  return rest;
};

/** The JSON Schema of a flow document, viatic.flow/1. */
export const flowJsonSchema = () => z.toJSONSchema(flowSchema, { io: 'input', unrepresentable: 'any' });

const problem = { description: 'A problem (RFC 9457): what was wrong, in which field, and what is right', content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } } };
const ok = (description: string, schema: object = { type: 'object' }) => ({ description, content: { 'application/json': { schema } } });
const parameter = (name: string, where: 'path' | 'query', description: string, more: object = {}) => ({ name, in: where, required: where === 'path', description, schema: { type: 'string', ...more } });
const body = (schema: object) => ({ required: true, content: { 'application/json': { schema } } });
const operation = (summary: string, answer: object, more: object = {}, status = '200') => ({ summary, ...more, responses: { [status]: answer, '400': problem, '401': problem, default: problem } });

const period = [parameter('from', 'query', 'Beginning, RFC 3339 or a date; 30 days before the end when left out'), parameter('to', 'query', 'End, inclusive; now when left out'), parameter('model', 'query', 'Credit model', { enum: ['last-click'] })];
const key = [parameter('key', 'path', "The flow's key, such as cart-left-behind")];
const id = [parameter('id', 'path', "The person's external id, or ~ and our own number for those who have none")];

/** The description of the public interface, OpenAPI 3.1; its schemas come from those that check the input. */
export function description(origin: string) {
  return {
    openapi: '3.1.0',
    info: { title: 'Viatic', version: '1', description: 'Everything that the screens can read or do. Amounts called minor are whole numbers of minor units (ISO 4217); times are RFC 3339.' },
    servers: [{ url: `${origin}/api/v1` }],
    security: [{ key: [] }],
    paths: {
      '/events': { post: operation(`Takes in one event or a batch of up to ${MOST_EVENTS} (CloudEvents 1.0 or plain JSON of the same shape). The same source and id count once.`, ok('What was taken, what had been there already, and what was wrong', { $ref: '#/components/schemas/Taken' }), { requestBody: { required: true, content: { 'application/json': { schema: { oneOf: [{ $ref: '#/components/schemas/Event' }, { type: 'array', items: { $ref: '#/components/schemas/Event' }, maxItems: MOST_EVENTS }] } }, 'application/cloudevents+json': { schema: { $ref: '#/components/schemas/Event' } }, 'application/cloudevents-batch+json': { schema: { type: 'array', items: { $ref: '#/components/schemas/Event' } } } } } }, '202') },
      '/people': { get: operation('Lists people', ok('A page of people and how many there are'), { parameters: [parameter('q', 'query', 'Words in name, address or id'), parameter('rule', 'query', 'A rule as JSON'), parameter('inside', 'query', "A flow's key"), parameter('sort', 'query', 'Order', { enum: ['seen', 'created', 'name', 'orders', 'value'] }), parameter('limit', 'query', 'At most 200'), parameter('offset', 'query', 'How many to pass over')] }) },
      '/people/{id}': {
        get: operation('One person: attributes, consent, orders, flows', ok('The person'), { parameters: id }),
        put: operation('Creates or updates a person by external id', ok('The person'), { parameters: id, requestBody: body({ $ref: '#/components/schemas/PutPerson' }) }),
      },
      '/people/{id}/timeline': { get: operation("One person's story, newest first", ok('A page; `next` continues it'), { parameters: [...id, parameter('limit', 'query', 'At most 200'), parameter('before', 'query', 'The value of `next`'), parameter('kinds', 'query', 'event, trace, send, consent; several with commas'), parameter('q', 'query', 'Words')] }) },
      '/flows': { get: operation('Lists flows with their figures of the last 30 days', ok('The flows')) },
      '/flows/{key}': {
        get: operation('A flow: state, draft, published document, preflight', ok('The flow; the ETag is the revision of the draft'), { parameters: key }),
        put: operation('Stores a document as the draft; a new key makes a new flow', ok('The flow'), { parameters: key, requestBody: body({ $ref: '#/components/schemas/Flow' }) }),
      },
      '/flows/{key}/publish': { post: operation('Makes the draft a version and switches the flow on', ok('The flow'), { parameters: key }) },
      '/flows/{key}/pause': { post: operation('Pauses: nobody enters, nobody goes on', ok('The flow'), { parameters: key }) },
      '/flows/{key}/resume': { post: operation('Switches on again', ok('The flow'), { parameters: key }) },
      '/flows/{key}/report': { get: operation('Figures of a flow over a period, as a whole and by step', ok('The report'), { parameters: [...key, ...period] }) },
      '/revenue': { get: operation('Takings, credited and uncredited, by flow and message and by day, in minor units', ok('The sums'), { parameters: period }) },
      '/revenue/ledger': { get: operation('Every order with its credit, newest first', ok('A page; `next` continues it'), { parameters: [...period, parameter('before', 'query', 'The value of `next`'), parameter('limit', 'query', 'At most 200')] }) },
      '/clock': {
        get: operation('Store time', ok('now, zone')),
        post: operation('Moves store time forward (demo and tests) and answers when all that fell due has been done', ok('now, and how many runs moved'), { requestBody: body({ $ref: '#/components/schemas/Move' }) }),
      },
      '/health': { get: { summary: 'Whether the database answers and a worker lives', security: [], responses: { '200': ok('All is well'), '503': ok('What is missing') } } },
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
        Move: jsonSchema(moveSchema),
        Taken: { type: 'object', required: ['accepted', 'duplicates', 'rejected'], properties: { accepted: { type: 'integer' }, duplicates: { type: 'integer' }, rejected: { type: 'array', items: { type: 'object', required: ['index', 'problems'], properties: { index: { type: 'integer' }, problems: { type: 'array', items: { $ref: '#/components/schemas/FieldProblem' } } } } } } },
        FieldProblem: { type: 'object', required: ['field', 'wrong', 'right'], properties: { field: { type: 'string' }, wrong: { type: 'string' }, right: { type: 'string' } } },
        Problem: { type: 'object', required: ['type', 'title', 'status', 'detail'], properties: { type: { type: 'string' }, title: { type: 'string' }, status: { type: 'integer' }, detail: { type: 'string' }, errors: { type: 'array', items: { $ref: '#/components/schemas/FieldProblem' } } } },
      },
    },
  };
}
