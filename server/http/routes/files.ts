import { z } from 'zod';
import * as schema from '@daxel/api/schemas';
import { soundCompiled } from '../../import/scenes';
import { findCompiledHash } from '../../sql/projects';
import type { Services } from '../app';
import { NotFoundError, parse } from '../guards';
import { Routes } from '../routes';

const pictureHash = z.string().regex(/^[0-9a-f]{64}$/, 'not the name of a picture');

export function fileRoutes({ db, files }: Services): Routes {
  const routes = new Routes();
  const kept = { immutable: true, maxAge: '365d' } as const;
  routes.get('/scenes/:id/compiled', { summary: 'The scene as the renderers read it' }, async (request, response) => {
    const hash = await findCompiledHash(db, parse(schema.id, request.params.id));
    if (!hash) throw new NotFoundError('scene');
    const whole = await soundCompiled(db, files, hash);
    response.type('application/octet-stream').sendFile(files.path(whole), kept);
  });
  routes.get('/pictures/:hash.png', { summary: 'A kept picture by its hash' }, (request, response) => {
    const hash = parse(pictureHash, request.params.hash);
    if (!files.has(hash)) throw new NotFoundError('picture');
    response.type('png').sendFile(files.path(hash), kept);
  });
  return routes;
}
