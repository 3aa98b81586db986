/** The OpenAPI document, from what routes say of themselves and the schemas that check requests. */
import { z } from 'zod';
import * as schema from '@daxel/api/schemas';
import { SETTINGS } from '@daxel/core/recipe/settings';
import type { Operation } from './routes';

/** @param operations by method and path, as in `get /projects/:id`; all under /api */
export function openApiDocument(operations: ReadonlyMap<string, Operation>): object {
  const json = (type: z.ZodType): object => ({
    'application/json': { schema: z.toJSONSchema(type, { io: 'input', unrepresentable: 'any' }) },
  });
  const paths: Record<string, Record<string, object>> = {};
  for (const [key, operation] of operations) {
    const [method, route] = key.split(' ');
    const path = `/api${route.replace(/:(\w+)/g, '{$1}')}`;
    const parameters = [...path.matchAll(/\{(\w+)\}/g)].map((m) => ({
      name: m[1],
      in: 'path',
      required: true,
      schema: { type: 'string' },
    }));
    const status = String(operation.status ?? 200);
    (paths[path] ??= {})[method] = {
      summary: operation.summary,
      parameters,
      ...(operation.body && { requestBody: { required: true, content: json(operation.body) } }),
      responses: {
        [status]: { description: 'Done', ...(operation.answer && { content: json(operation.answer) }) },
        default: { description: 'One clear line', content: json(schema.problem) },
      },
    };
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Daxel', version: '0.1.0' },
    paths,
    'x-settings': SETTINGS,
  };
}
