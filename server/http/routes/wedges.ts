import { z } from 'zod';
import * as schema from '@daxel/api/schemas';
import * as projects from '../../sql/projects';
import * as sql from '../../sql/wedges';
import type { Services } from '../app';
import { NotFoundError, parse } from '../guards';
import { jsonBody } from '../jsonBody';
import { Routes } from '../routes';

const NEWEST = 30;

export function wedgeRoutes({ db, files, wedges }: Services): Routes {
  const routes = new Routes();
  const find = async (text: unknown): Promise<sql.WedgeRow> => {
    const row = await sql.findWedge(db, parse(schema.id, text));
    if (!row) throw new NotFoundError('wedge');
    return row;
  };
  routes.get(
    '/shots/:id/wedges',
    { summary: 'Wedges of a shot, newest first', answer: z.array(schema.wedge) },
    async (request, response) => {
      const rows = await sql.listWedges(db, parse(schema.id, request.params.id), NEWEST);
      response.json(rows.map((r) => wedges.present(r)));
    },
  );
  /** Of all shots: being rendered, or waiting for it. */
  routes.get(
    '/wedges',
    { summary: 'Wedges of all shots that run or wait', answer: z.array(schema.wedge) },
    async (_request, response) => {
      response.json((await sql.openWedges(db)).map((r) => wedges.present(r)));
    },
  );
  routes.post(
    '/shots/:id/wedges',
    {
      summary: 'Renders a wedge or a sensitivity run',
      body: schema.wedgeRequest,
      answer: schema.wedge,
      status: 202,
    },
    jsonBody('64kb'),
    async (request, response) => {
      const shot = await projects.findShotRow(db, parse(schema.id, request.params.id));
      if (!shot) throw new NotFoundError('shot');
      response.status(202).json(await wedges.request(shot, parse(schema.wedgeRequest, request.body ?? {})));
    },
  );
  routes.post(
    '/wedges/:id/cancel',
    { summary: 'Cancels a wedge that waits or runs', answer: schema.wedge },
    async (request, response) => {
      response.json(await wedges.cancel((await find(request.params.id)).id));
    },
  );
  routes.post(
    '/wedges/:id/resume',
    { summary: 'Renders the steps that are missing', answer: schema.wedge },
    async (request, response) => {
      response.json(await wedges.resume((await find(request.params.id)).id));
    },
  );
  routes.delete('/wedges/:id', { summary: 'Deletes a wedge', status: 204 }, async (request, response) => {
    await wedges.remove((await find(request.params.id)).id);
    response.status(204).end();
  });
  routes.get(
    '/wedges/:id/steps/:step',
    { summary: 'The picture of a step, a PNG; step "reference" is the reference' },
    async (request, response) => {
      const wedge = await find(request.params.id);
      const { step } = request.params;
      const hash = step === 'reference' ? wedge.reference?.png : wedge.steps[Number(step)]?.hash;
      if (!hash) throw new NotFoundError('picture');
      response.type('png').sendFile(files.path(hash), { maxAge: '1h' });
    },
  );
  return routes;
}
