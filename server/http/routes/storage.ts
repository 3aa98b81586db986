/** What lies on disk, and letting go of it. */
import * as schema from '@daxel/api/schemas';
import type { Services } from '../app';
import { Routes } from '../routes';

export function storageRoutes({ storage }: Services): Routes {
  const routes = new Routes();
  routes.get(
    '/storage',
    { summary: 'What lies on disk, by kind', answer: schema.storage },
    async (_request, response) => {
      response.json(await storage.usage());
    },
  );
  const free = {
    summary: 'Lets go of what was deleted, which cannot be brought back after it',
    answer: schema.storage,
  };
  routes.post('/storage/free', free, async (_request, response) => {
    await storage.sweep(0);
    response.json(await storage.usage());
  });
  return routes;
}
