export { description, flowJsonSchema } from './openapi';
