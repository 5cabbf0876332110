import * as z from 'zod';
import { flowSchema } from '@/core/flows';
import { CREDIT_MODELS } from '@/core/revenue';

export const jsonSchema = (schema: z.ZodType) => {
  const { $schema: _, ...rest } = z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any', target: 'draft-2020-12' });
  return rest;
};

/** The JSON Schema of a flow document, viatic.flow/1. */
export const flowJsonSchema = () => z.toJSONSchema(flowSchema, { io: 'input', unrepresentable: 'any' });

export const problem = {
  description: 'A problem (RFC 9457): what was wrong, in which field, and what is right',
  content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
};
export const ok = (description: string, schema: object = { type: 'object' }) => ({
  description,
  content: { 'application/json': { schema } },
});
export const parameter = (name: string, where: 'path' | 'query', description: string, more: object = {}) => ({
  name,
  in: where,
  required: where === 'path',
  description,
  schema: { type: 'string', ...more },
});
export const DUE = parameter('due', 'query', 'send (as it is when left out) or drop: what becomes of what fell due while it was paused');
export const body = (schema: object) => ({ required: true, content: { 'application/json': { schema } } });
export const operation = (summary: string, answer: object, more: object = {}, status = '200') => ({
  summary,
  ...more,
  responses: { [status]: answer, '400': problem, '401': problem, default: problem },
});

export const period = [
  parameter('from', 'query', 'Beginning, RFC 3339 or a date; 30 days before the end when left out'),
  parameter('to', 'query', 'End, inclusive; now when left out'),
  parameter('model', 'query', 'Credit model', { enum: [...CREDIT_MODELS] }),
];
export const key = [parameter('key', 'path', "The flow's key, such as cart-left-behind")];
export const id = [parameter('id', 'path', "The person's external id, or ~ and our own number for those who have none")];

export const nothing = { description: 'Done' };
export const text = { type: 'string' };
export const work = [parameter('id', 'path', 'Its number')];
export const source = [parameter('key', 'path', "The source's key")];
export const name = [parameter('name', 'path', "The attribute's name")];
export const form = [parameter('key', 'path', "The form's key")];
export const list = [parameter('key', 'path', "The list's key")];
export const segment = [parameter('key', 'path', "The segment's key")];
export const offer = [parameter('key', 'path', "The offer's key")];
export const table = [parameter('key', 'path', "The table's key")];
