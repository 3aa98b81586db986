import express from 'express';
import * as schema from '@daxel/api/schemas';
import { BadInputError } from '@daxel/core/errors';
import * as sql from '../../sql/projects';
import type { Services } from '../app';
import { ConflictError, NotFoundError, parse } from '../guards';
import { jsonBody } from '../jsonBody';
import { Routes } from '../routes';

const THUMBNAIL_LIMIT = 2 ** 20;

export function shotRoutes({ db, files, stills, events }: Services): Routes {
  const routes = new Routes();
  const find = async (text: unknown) => {
    const shot = await sql.findShotRow(db, parse(schema.id, text));
    if (!shot) throw new NotFoundError('shot');
    return shot;
  };
  routes.patch(
    '/shots/:id',
    {
      summary: 'Changes recipe, patches, rigs or frame of a shot',
      body: schema.shotChange,
      answer: schema.shot,
    },
    jsonBody('8mb'),
    async (request, response) => {
      const shot = await find(request.params.id);
      const change = parse(schema.shotChange, request.body);
      const { firstFrame, lastFrame, frame } = { ...shot, ...change };
      if (firstFrame > lastFrame)
        throw new ConflictError(`A shot from frame ${firstFrame} to ${lastFrame} has no frame.`);
      if (frame < firstFrame || frame > lastFrame)
        throw new ConflictError(`The shot has frames ${firstFrame} to ${lastFrame}; frame ${frame} is none of them.`);
      const { rigId } = change;
      if (rigId && !(change.rigs ?? shot.rigs).some((r) => r.id === rigId))
        throw new BadInputError(`rigId: the shot has no rig "${rigId}".`);
      const changed = await sql.updateShot(db, shot.id, change);
      if (!changed)
        throw new ConflictError(
          'This shot was changed elsewhere meanwhile. It has been loaded again; repeat your change.',
        );
      response.json(changed);
    },
  );
  routes.put(
    '/shots/:id/thumbnail',
    { summary: 'The small picture of a shot, a PNG', status: 204 },
    express.raw({ type: 'image/png', limit: THUMBNAIL_LIMIT }),
    async (request, response) => {
      const shot = await find(request.params.id);
      const bytes = request.body as unknown;
      if (!Buffer.isBuffer(bytes) || bytes.readUInt32BE(0) !== 0x89504e47)
        throw new ConflictError('A thumbnail is a PNG file.');
      await sql.setThumbnail(db, shot.id, (await files.put(bytes)).hash);
      events.send({ type: 'projects' });
      response.status(204).end();
    },
  );
  routes.post(
    '/shots/:id/stills',
    {
      summary: 'Renders a still',
      body: schema.stillRequest,
      answer: schema.still,
      status: 202,
    },
    jsonBody('8mb'),
    async (request, response) => {
      const shot = await find(request.params.id);
      const order = parse(schema.stillRequest, request.body ?? {});
      response.status(202).json(await stills.request(shot, order));
    },
  );
  return routes;
}
