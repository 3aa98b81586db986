/** Environment pictures: brought in once, then served by the hash of what is kept. */
import { rm } from 'node:fs/promises';
import { Router } from 'express';
import { z } from 'zod';
import * as schema from '@daxel/api/schemas';
import { importPicture } from '../../import/pictureFile';
import type { Services } from '../app';
import { NotFoundError, parse } from '../guards';
import { fileName, receiveFile } from '../upload';

const query = z.object({ name: z.string().optional(), width: z.coerce.number().int().min(16).max(8192).optional() });
const hash = z.string().regex(/^[0-9a-f]{64}$/, 'not the name of a picture');

export function environmentRoutes({ files, uploadLimit }: Services): Router {
  const router = Router();
  router.post('/environments', async (request, response) => {
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
  });
  router.get('/environments/:hash', (request, response) => {
    const wanted = parse(hash, request.params.hash);
    if (!files.has(wanted)) throw new NotFoundError('environment picture');
    response.type('application/octet-stream').sendFile(files.path(wanted), { immutable: true, maxAge: '365d' });
  });
  return router;
}
