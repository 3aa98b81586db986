import { Router } from 'express';
import { z } from 'zod';
import * as schema from '@daxel/api/schemas';
import * as sql from '../../sql/stills';
import type { Services } from '../app';
import { ConflictError, NotFoundError, parse } from '../guards';

const EXTENSIONS: Record<schema.StillFileKind, string> = {
  png8: '8bit.png',
  png16: '16bit.png',
  'exr-half': 'half.exr',
  'exr-float': 'float.exr',
};
const page = z.object({
  before: z.iso.datetime().optional(),
  limit: z.coerce.number().int().min(1).max(200).default(100),
});

export function stillRoutes({ db, files, stills, runner, events }: Services): Router {
  const router = Router();
  const find = async (text: unknown): Promise<sql.StillRow> => {
    const row = await sql.findStill(db, parse(schema.id, text));
    if (!row) throw new NotFoundError('still');
    return row;
  };
  router.get('/stills', async (request, response) => {
    const rows = await sql.listStills(db, parse(page, request.query));
    response.json(rows.map((r) => stills.present(r)));
  });
  router.get('/stills/:id', async (request, response) => {
    response.json(stills.present(await find(request.params.id)));
  });
  router.post('/stills/:id/cancel', async (request, response) => {
    response.json(await stills.cancel((await find(request.params.id)).id));
  });
  router.get('/stills/:id/forming', async (request, response) => {
    const picture = runner.forming(parse(schema.id, request.params.id));
    if (!picture) throw new NotFoundError('picture yet');
    response.type('png').set('Cache-Control', 'no-store').send(Buffer.from(picture));
  });
  router.get('/stills/:id/files/:kind', async (request, response) => {
    const still = await find(request.params.id);
    const kind = parse(schema.stillFileKind, request.params.kind);
    const file = still.files.find((f) => f.kind === kind);
    if (!file) throw new NotFoundError('file');
    if (!(await files.isWhole(file)))
      throw new ConflictError('The file of this still is lost or damaged. Render it again.');
    const name = `${still.shotName}-${still.frame}-${still.recipe.name}.${EXTENSIONS[kind]}`.replace(/[^\w.-]+/g, '-');
    response.type(kind.startsWith('png') ? 'image/png' : 'image/x-exr');
    if (request.query.download !== undefined) response.attachment(name);
    response.sendFile(files.path(file.hash), { immutable: true, maxAge: '365d' });
  });
  router.delete('/stills/:id', async (request, response) => {
    const still = await find(request.params.id);
    if (still.state === 'queued' || still.state === 'running') await stills.cancel(still.id);
    await sql.setStillDeleted(db, still.id, true);
    events.send({ type: 'still-gone', id: still.id });
    response.status(204).end();
  });
  router.post('/stills/:id/restore', async (request, response) => {
    const id = parse(schema.id, request.params.id);
    if (!(await sql.setStillDeleted(db, id, false))) throw new NotFoundError('still');
    response.json(await stills.announce(id));
  });
  return router;
}
