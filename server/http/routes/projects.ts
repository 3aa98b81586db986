import { rm } from 'node:fs/promises';
import { z } from 'zod';
import * as schema from '@daxel/api/schemas';
import { makeProject } from '../../import/makeProject';
import * as sql from '../../sql/projects';
import type { Services } from '../app';
import { NotFoundError, parse } from '../guards';
import { jsonBody } from '../jsonBody';
import { fileName, receiveFile } from '../upload';
import { Routes } from '../routes';

export function projectRoutes({ db, files, events, uploadLimit }: Services): Routes {
  const routes = new Routes();
  routes.get('/projects', { summary: 'All projects', answer: z.array(schema.project) }, async (_request, response) => {
    response.json(await sql.listProjects(db));
  });
  routes.get(
    '/projects/:id',
    { summary: 'One project with scenes and shots', answer: schema.project },
    async (request, response) => {
      const [project] = await sql.listProjects(db, parse(schema.id, request.params.id));
      if (!project) throw new NotFoundError('project');
      response.json(project);
    },
  );
  routes.post(
    '/projects',
    {
      summary:
        'A project from a .glb file, sent as the body; ?name= is its file name, ?upload= what events of its progress name it by',
      answer: schema.project,
      status: 201,
    },
    async (request, response) => {
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
    },
  );
  routes.patch(
    '/projects/:id',
    { summary: 'Renames a project', body: schema.projectChange, answer: schema.project },
    jsonBody('64kb'),
    async (request, response) => {
      const id = parse(schema.id, request.params.id);
      const { name } = parse(schema.projectChange, request.body);
      if (!(await sql.renameProject(db, id, name))) throw new NotFoundError('project');
      events.send({ type: 'projects' });
      response.json((await sql.listProjects(db, id))[0]);
    },
  );
  routes.delete(
    '/projects/:id',
    { summary: 'Deletes a project; can be restored', status: 204 },
    async (request, response) => {
      if (!(await sql.setProjectDeleted(db, parse(schema.id, request.params.id), true)))
        throw new NotFoundError('project');
      events.send({ type: 'projects' });
      response.status(204).end();
    },
  );
  routes.post(
    '/projects/:id/restore',
    { summary: 'Brings a deleted project back', answer: schema.project },
    async (request, response) => {
      const id = parse(schema.id, request.params.id);
      if (!(await sql.setProjectDeleted(db, id, false))) throw new NotFoundError('project');
      events.send({ type: 'projects' });
      response.json((await sql.listProjects(db, id))[0]);
    },
  );
  return routes;
}
