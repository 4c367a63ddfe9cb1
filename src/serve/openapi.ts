// The OpenAPI 3.1 document, made of the table of routes and the schemas that check them.
import * as z from 'zod/mini';
import { questionSchema } from '../model/schema.ts';
import { MEDIA } from './formats.ts';
import { type Parameter, QUERY_FORMAT } from './parameters.ts';
import { cellSchema, ROUTES, type Route } from './routes.ts';

type Json = Record<string, unknown>;

const schemaOf = (schema: z.ZodMiniType): Json => {
  const { $schema: _, ...own } = z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' }) as Json;
  return own;
};

const parameter = (name: string, { schema, about, example, isRequired }: Parameter): Json => ({
  name,
  in: 'query',
  description: about,
  required: isRequired ?? false,
  schema: schemaOf(schema),
  ...(example === undefined ? {} : { example }),
});

const PROBLEM = { $ref: '#/components/responses/problem' };
const responses = ({ formats }: Route): Json => ({
  200: {
    description: 'The answer, with the state it was computed from as ETag.',
    headers: { ETag: { schema: { type: 'string' } } },
    content: Object.fromEntries(formats.map((name) => [MEDIA[name], {}])),
  },
  304: { description: 'Nothing has changed since the ETag of If-None-Match.' },
  default: PROBLEM,
});

const idOf = (method: string, { path }: Route): string =>
  `${method}${path === '' ? 'Model' : path.replace(/\/(.)/g, (_, first: string) => first.toUpperCase())}`;

const operations = (route: Route): Json => {
  const query = Object.entries({ ...route.takes, format: QUERY_FORMAT(route.formats) }).map(([name, own]) => parameter(name, own));
  const shared = { summary: route.about, responses: responses(route) };
  return {
    parameters: [{ name: 'model', in: 'path', required: true, schema: { type: 'string' } }],
    get: { operationId: idOf('get', route), ...shared, parameters: query },
    ...(route.posts
      ? {
          post: {
            operationId: idOf('post', route),
            ...shared,
            parameters: query.filter(({ name }) => name === 'format'),
            requestBody: { required: true, content: { 'application/json': { schema: { $ref: `#/components/schemas/${route.posts}` } } } },
          },
        }
      : {}),
  };
};

const PROBLEM_SCHEMA = {
  type: 'object',
  required: ['type', 'title', 'status', 'code'],
  properties: {
    type: { type: 'string' },
    title: { type: 'string', description: 'What is wrong, in one sentence.' },
    status: { type: 'integer' },
    code: { type: 'string', description: 'Stable; docs/errors.md has them all.' },
    detail: { type: 'string' },
    hint: { type: 'string', description: 'What would be right.' },
    place: { type: 'string' },
    faults: { type: 'array', items: { type: 'object' } },
  },
};

export const openApi = (version: string, withKeys: boolean): Json => ({
  openapi: '3.1.0',
  info: {
    title: 'Durchblick',
    version,
    description: 'Reusable time calculations, asked over HTTP. Dates are YYYY-MM-DD, ranges inclusive at both ends.',
  },
  servers: [{ url: './' }],
  ...(withKeys ? { security: [{ key: [] }] } : {}),
  paths: {
    '/models': {
      get: {
        operationId: 'getModels',
        summary: 'the models that may be asked',
        responses: { 200: { description: 'Their names.', content: { [MEDIA.json]: {} } }, default: PROBLEM },
      },
    },
    ...Object.fromEntries(ROUTES.map((route) => [`/models/{model}${route.path}`, operations(route)])),
  },
  components: {
    schemas: { question: schemaOf(questionSchema), cell: schemaOf(cellSchema), problem: PROBLEM_SCHEMA },
    responses: {
      problem: {
        description: 'What went wrong (RFC 9457).',
        content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/problem' } } },
      },
    },
    ...(withKeys ? { securitySchemes: { key: { type: 'http', scheme: 'bearer' } } } : {}),
  },
});
