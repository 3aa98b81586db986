import { z } from 'zod';
import * as schema from '@daxel/api/schemas';
import * as sql from '../../sql/stills';
import type { Services } from '../app';
import { ConflictError, NotFoundError, parse } from '../guards';
import { Routes } from '../routes';

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

export function stillRoutes({ db, files, stills, runner, events }: Services): Routes {
  const routes = new Routes();
  const find = async (text: unknown): Promise<sql.StillRow> => {
    const row = await sql.findStill(db, parse(schema.id, text));
    if (!row) throw new NotFoundError('still');
    return row;
  };
  routes.get(
    '/stills',
    { summary: 'Stills, newest first; ?before= and ?limit= page', answer: z.array(schema.still) },
    async (request, response) => {
      const rows = await sql.listStills(db, parse(page, request.query));
      response.json(rows.map((r) => stills.present(r)));
    },
  );
  routes.get('/stills/:id', { summary: 'One still', answer: schema.still }, async (request, response) => {
    response.json(stills.present(await find(request.params.id)));
  });
  routes.post(
    '/stills/:id/cancel',
    { summary: 'Cancels a still that waits or runs', answer: schema.still },
    async (request, response) => {
      response.json(await stills.cancel((await find(request.params.id)).id));
    },
  );
  routes.get('/stills/:id/forming', { summary: 'The picture so far, a PNG' }, async (request, response) => {
    const picture = runner.forming(parse(schema.id, request.params.id));
    if (!picture) throw new NotFoundError('picture yet');
    response.type('png').set('Cache-Control', 'no-store').send(Buffer.from(picture));
  });
  routes.get(
    '/stills/:id/files/:kind',
    {
      summary: 'A finished file: png8, png16, exr-half, exr-float; ?download sends it as an attachment',
    },
    async (request, response) => {
      const still = await find(request.params.id);
      const kind = parse(schema.stillFileKind, request.params.kind);
      const file = still.files.find((f) => f.kind === kind);
      if (!file) throw new NotFoundError('file');
      if (!(await files.isWhole(file)))
        throw new ConflictError('The file of this still is lost or damaged. Render it again.');
      const name = `${still.shotName}-${still.frame}-${still.recipe.name}.${EXTENSIONS[kind]}`.replace(
        /[^\w.-]+/g,
        '-',
      );
      response.type(kind.startsWith('png') ? 'image/png' : 'image/x-exr');
      if (request.query.download !== undefined) response.attachment(name);
      response.sendFile(files.path(file.hash), { immutable: true, maxAge: '365d' });
    },
  );
  routes.delete(
    '/stills/:id',
    { summary: 'Deletes a still; can be restored', status: 204 },
    async (request, response) => {
      const still = await find(request.params.id);
      if (still.state === 'queued' || still.state === 'running') await stills.cancel(still.id);
      await sql.setStillDeleted(db, still.id, true);
      events.send({ type: 'still-gone', id: still.id });
      response.status(204).end();
    },
  );
  routes.post(
    '/stills/:id/restore',
    { summary: 'Brings a deleted still back', answer: schema.still },
    async (request, response) => {
      const id = parse(schema.id, request.params.id);
      if (!(await sql.setStillDeleted(db, id, false))) throw new NotFoundError('still');
      response.json(await stills.announce(id));
    },
  );
  return routes;
}
