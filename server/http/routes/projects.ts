import { rm } from 'node:fs/promises';
import { Router } from 'express';
import * as schema from '@daxel/api/schemas';
import { makeProject } from '../../import/makeProject';
import * as sql from '../../sql/projects';
import type { Services } from '../app';
import { NotFoundError, parse } from '../guards';
import { jsonBody } from '../jsonBody';
import { fileName, receiveFile } from '../upload';

export function projectRoutes({ db, files, events, uploadLimit }: Services): Router {
  const router = Router();
  router.get('/projects', async (_request, response) => {
    response.json(await sql.listProjects(db));
  });
  router.get('/projects/:id', async (request, response) => {
    const [project] = await sql.listProjects(db, parse(schema.id, request.params.id));
    if (!project) throw new NotFoundError('project');
    response.json(project);
  });
  router.post('/projects', async (request, response) => {
    const name = fileName(typeof request.query.name === 'string' ? request.query.name : '', 'scene.glb');
    const { upload } = parse(schema.uploadQuery, request.query);
    const onProgress = (progress: schema.ImportProgress): void => {
      if (upload) events.send({ type: 'import', upload, progress });
    };
    const abort = new AbortController();
    response.on('close', () => abort.abort());
    const path = await receiveFile(request, files.temporary, uploadLimit, name);
    try {
      const title = name.replace(/\.gl(b|tf)$/i, '') || name;
      const project = await makeProject(
        db,
        files,
        { name: title, source: 'file', scenes: [{ path, name }] },
        { signal: abort.signal, onProgress },
      );
      events.send({ type: 'projects' });
      response.status(201).json(project);
    } finally {
      await rm(path, { force: true });
    }
  });
  router.patch('/projects/:id', jsonBody('64kb'), async (request, response) => {
    const id = parse(schema.id, request.params.id);
    const { name } = parse(schema.projectChange, request.body);
    if (!(await sql.renameProject(db, id, name))) throw new NotFoundError('project');
    events.send({ type: 'projects' });
    response.json((await sql.listProjects(db, id))[0]);
  });
  router.delete('/projects/:id', async (request, response) => {
    if (!(await sql.setProjectDeleted(db, parse(schema.id, request.params.id), true)))
      throw new NotFoundError('project');
    events.send({ type: 'projects' });
    response.status(204).end();
  });
  router.post('/projects/:id/restore', async (request, response) => {
    const id = parse(schema.id, request.params.id);
    if (!(await sql.setProjectDeleted(db, id, false))) throw new NotFoundError('project');
    events.send({ type: 'projects' });
    response.json((await sql.listProjects(db, id))[0]);
  });
  return router;
}
