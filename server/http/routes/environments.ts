/** Environment pictures: brought in once, then served by the hash of what is kept. */
import { rm } from 'node:fs/promises';
import { z } from 'zod';
import * as schema from '@daxel/api/schemas';
import { importPicture } from '../../import/pictureFile';
import type { Services } from '../app';
import { NotFoundError, parse } from '../guards';
import { fileName, receiveFile } from '../upload';
import { Routes } from '../routes';

const query = z.object({ name: z.string().optional(), width: z.coerce.number().int().min(16).max(8192).optional() });
const hash = z.string().regex(/^[0-9a-f]{64}$/, 'not the name of a picture');

export function environmentRoutes({ files, uploadLimit }: Services): Routes {
  const routes = new Routes();
  routes.post(
    '/environments',
    {
      summary: 'An environment picture (.hdr or .exr) as the body; ?name= is its file name, ?width= reduces it',
      answer: schema.environmentFile,
      status: 201,
    },
    async (request, response) => {
      const asked = parse(query, request.query);
      const name = fileName(asked.name ?? '', 'picture.hdr');
      const abort = new AbortController();
      response.on('close', () => abort.abort());
      const path = await receiveFile(request, files.temporary, uploadLimit, name);
      try {
        const {
          packed,
          hash: own,
          width,
          height,
          notes,
          sun,
        } = await importPicture(path, name, files.temporary, asked.width, abort.signal);
        const kept = await files.adopt(packed, own);
        const answer: schema.EnvironmentFile = { hash: kept.hash, name, width, height, notes, sun };
        response.status(201).json(answer);
      } finally {
        await rm(path, { force: true });
      }
    },
  );
  routes.get(
    '/environments/:hash',
    { summary: 'An environment picture as it is kept: size and 32-bit floats' },
    (request, response) => {
      const wanted = parse(hash, request.params.hash);
      if (!files.has(wanted)) throw new NotFoundError('environment picture');
      response.type('application/octet-stream').sendFile(files.path(wanted), { immutable: true, maxAge: '365d' });
    },
  );
  return routes;
}
