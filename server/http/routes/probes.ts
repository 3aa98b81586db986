/** Probes that a page or a render has baked, for whoever asks for the same. */
import express from 'express';
import { z } from 'zod';
import { ProbeShelf } from '../../store/probeShelf';
import type { Services } from '../app';
import { parse } from '../guards';
import { Routes } from '../routes';

const probesName = z.string().regex(/^[0-9a-f]{16}$/, 'not the name of probes');
const LIMIT = '64mb';

export function probeRoutes({ files }: Services): Routes {
  const routes = new Routes();
  const shelf = new ProbeShelf(files.baked);
  const summary = 'Baked probes by what they depend on; nothing, 204, where nobody has baked them yet';
  routes.get('/probes/:name', { summary }, async (request, response) => {
    // one that is damaged is not sent
    const file = await shelf.read(parse(probesName, request.params.name));
    if (file) response.type('application/octet-stream').send(file.bytes);
    else response.status(204).end();
  });
  routes.put(
    '/probes/:name',
    { summary: 'Keeps probes that a page has baked', status: 204 },
    express.raw({ type: 'application/octet-stream', limit: LIMIT }),
    async (request, response) => {
      const bytes = request.body as unknown;
      await shelf.take(parse(probesName, request.params.name), Buffer.isBuffer(bytes) ? bytes : new Uint8Array());
      response.status(204).end();
    },
  );
  return routes;
}
