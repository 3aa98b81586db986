import { Router } from 'express';
import * as schema from '@daxel/api/schemas';
import * as projects from '../../sql/projects';
import * as sql from '../../sql/wedges';
import type { Services } from '../app';
import { NotFoundError, parse } from '../guards';
import { jsonBody } from '../jsonBody';

const NEWEST = 30;

export function wedgeRoutes({ db, files, wedges }: Services): Router {
  const router = Router();
  const find = async (text: unknown): Promise<sql.WedgeRow> => {
    const row = await sql.findWedge(db, parse(schema.id, text));
    if (!row) throw new NotFoundError('wedge');
    return row;
  };
  router.get('/shots/:id/wedges', async (request, response) => {
    const rows = await sql.listWedges(db, parse(schema.id, request.params.id), NEWEST);
    response.json(rows.map((r) => wedges.present(r)));
  });
  /** Of all shots: being rendered, or waiting for it. */
  router.get('/wedges', async (_request, response) => {
    response.json((await sql.openWedges(db)).map((r) => wedges.present(r)));
  });
  router.post('/shots/:id/wedges', jsonBody('64kb'), async (request, response) => {
    const shot = await projects.findShotRow(db, parse(schema.id, request.params.id));
    if (!shot) throw new NotFoundError('shot');
    response.status(202).json(await wedges.request(shot, parse(schema.wedgeRequest, request.body ?? {})));
  });
  router.post('/wedges/:id/cancel', async (request, response) => {
    response.json(await wedges.cancel((await find(request.params.id)).id));
  });
  router.post('/wedges/:id/resume', async (request, response) => {
    response.json(await wedges.resume((await find(request.params.id)).id));
  });
  router.delete('/wedges/:id', async (request, response) => {
    await wedges.remove((await find(request.params.id)).id);
    response.status(204).end();
  });
  router.get('/wedges/:id/steps/:step', async (request, response) => {
    const wedge = await find(request.params.id);
    const { step } = request.params;
    const hash = step === 'reference' ? wedge.reference?.png : wedge.steps[Number(step)]?.hash;
    if (!hash) throw new NotFoundError('picture');
    response.type('png').sendFile(files.path(hash), { maxAge: '1h' });
  });
  return router;
}
