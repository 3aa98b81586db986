/** What lies on disk, and letting go of it. */
import { Router } from 'express';
import type { Services } from '../app';

export function storageRoutes({ storage }: Services): Router {
  const router = Router();
  router.get('/storage', async (_request, response) => {
    response.json(await storage.usage());
  });
  /** What was deleted cannot be brought back after this. */
  router.post('/storage/free', async (_request, response) => {
    await storage.sweep(0);
    response.json(await storage.usage());
  });
  return router;
}
