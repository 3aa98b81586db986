/** Whether the server answers, and what it tells of by itself. */
import * as schema from '@daxel/api/schemas';
import type { Services } from '../app';
import { refuse } from '../guards';
import { Routes } from '../routes';

export function serverRoutes({ db, events }: Services): Routes {
  const routes = new Routes();
  routes.get('/health', { summary: 'Whether server and database answer' }, (_request, response) => {
    db.query('SELECT 1').then(
      () => response.json({ ok: true }),
      () => refuse(response, 503, 'database', 'The database does not answer.'),
    );
  });
  const stream = { summary: 'Server-sent events; resumes from Last-Event-ID', answer: schema.serverEvent };
  routes.get('/events', stream, (request, response) => events.connect(request, response));
  return routes;
}
