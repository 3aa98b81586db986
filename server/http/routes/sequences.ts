import { once } from 'node:events';
import { ZipFile } from 'yazl';
import { z } from 'zod';
import { frameName, safeName } from '@daxel/api/fileNaming';
import * as schema from '@daxel/api/schemas';
import * as projects from '../../sql/projects';
import * as sql from '../../sql/sequences';
import type { Database } from '../../db/database';
import type { FileStore } from '../../store/fileStore';
import type { Services } from '../app';
import { ConflictError, NotFoundError, parse } from '../guards';
import { jsonBody } from '../jsonBody';
import { Routes } from '../routes';

const NEWEST = 100;

export function sequenceRoutes({ db, files, sequences, runner }: Services): Routes {
  const routes = new Routes();
  const find = async (text: unknown): Promise<sql.SequenceRow> => {
    const row = await sql.findSequence(db, parse(schema.id, text));
    if (!row) throw new NotFoundError('sequence');
    return row;
  };
  routes.post(
    '/shots/:id/sequences',
    {
      summary: 'Renders frames of a shot out',
      body: schema.sequenceRequest,
      answer: schema.sequence,
      status: 202,
    },
    jsonBody('64kb'),
    async (request, response) => {
      const shot = await projects.findShotRow(db, parse(schema.id, request.params.id));
      if (!shot) throw new NotFoundError('shot');
      response.status(202).json(await sequences.request(shot, parse(schema.sequenceRequest, request.body ?? {})));
    },
  );
  routes.get(
    '/sequences',
    { summary: 'Sequences, newest first', answer: z.array(schema.sequence) },
    async (_request, response) => {
      response.json((await sql.listSequences(db, NEWEST)).map((r) => sequences.present(r)));
    },
  );
  routes.get('/sequences/:id', { summary: 'One sequence', answer: schema.sequence }, async (request, response) => {
    response.json(sequences.present(await find(request.params.id)));
  });
  const actions = {
    pause: 'Lets the processor go until it is resumed',
    cancel: 'Ends it; finished frames stay',
    resume: 'Renders the frames that are missing',
  };
  for (const action of ['pause', 'cancel', 'resume'] as const)
    routes.post(
      `/sequences/:id/${action}`,
      { summary: actions[action], answer: schema.sequence },
      async (request, response) => {
        response.json(await sequences[action]((await find(request.params.id)).id));
      },
    );
  routes.delete(
    '/sequences/:id',
    { summary: 'Deletes a sequence; can be restored for a day', status: 204 },
    async (request, response) => {
      await sequences.remove((await find(request.params.id)).id);
      response.status(204).end();
    },
  );
  routes.post(
    '/sequences/:id/restore',
    { summary: 'Brings a deleted sequence back', answer: schema.sequence },
    async (request, response) => {
      const restored = await sequences.restore(parse(schema.id, request.params.id));
      if (!restored) throw new NotFoundError('sequence');
      response.json(restored);
    },
  );
  routes.get(
    '/sequences/:id/frames',
    { summary: 'Its finished frames', answer: z.array(schema.sequenceFrame) },
    async (request, response) => {
      const rows = await sql.framesOf(db, (await find(request.params.id)).id);
      response.json(rows.map(({ files: _files, ...frame }) => frame));
    },
  );
  routes.get('/sequences/:id/forming', { summary: 'The frame so far, a PNG' }, (request, response) => {
    const picture = runner.forming(parse(schema.id, request.params.id));
    if (!picture) throw new NotFoundError('picture yet');
    response.type('png').set('Cache-Control', 'no-store').send(Buffer.from(picture));
  });
  addFiles(routes, files, db, find);
  return routes;
}

/** Single frames, and all of them in one file. */
function addFiles(
  routes: Routes,
  files: FileStore,
  db: Database,
  find: (id: unknown) => Promise<sql.SequenceRow>,
): void {
  routes.get(
    '/sequences/:id/frames/:frame/:kind',
    { summary: 'A file of a finished frame; ?download names it' },
    async (request, response) => {
      const row = await find(request.params.id);
      const frame = await sql.findFrame(db, row.id, parse(z.coerce.number().int(), request.params.frame));
      const kind = parse(schema.stillFileKind, request.params.kind);
      const file = frame?.files.find((f) => f.kind === kind);
      if (!frame || !file) throw new NotFoundError('frame');
      if (!(await files.isWhole(file)))
        throw new ConflictError(
          `The file of frame ${frame.frame} is lost or damaged. Resume the sequence to render it.`,
        );
      response.type(kind.startsWith('png') ? 'image/png' : 'image/x-exr');
      if (request.query.download !== undefined) response.attachment(nameOf(row, frame.frame, kind));
      // a frame that is rendered again has the same bits
      response.sendFile(files.path(file.hash), { maxAge: '1h' });
    },
  );
  routes.get(
    '/sequences/:id/zip/:kind',
    { summary: 'All finished frames of one kind as a ZIP file' },
    async (request, response) => {
      const row = await find(request.params.id);
      const kind = parse(schema.stillFileKind, request.params.kind);
      const entries = (await sql.framesOf(db, row.id)).flatMap(({ frame, files: own }) => {
        const file = own.find((f) => f.kind === kind);
        return file ? [{ frame, ...file }] : [];
      });
      if (entries.length === 0) throw new NotFoundError('frame of that kind');
      const whole = await Promise.all(entries.map((e) => files.isWhole(e)));
      const lost = entries.filter((_, i) => !whole[i]).map((e) => e.frame);
      if (lost.length > 0)
        throw new ConflictError(
          `Files of frames ${lost.slice(0, 5).join(', ')} are gone. Resume the sequence to render them.`,
        );
      const folder = folderName(row, kind);
      const zip = new ZipFile();
      // a file that goes while it is read: the download ends short, and says so
      zip.on('error', () => response.destroy());
      const mtime = new Date(row.createdAt);
      // pictures are packed already
      for (const e of entries)
        zip.addFile(files.path(e.hash), `${folder}/${nameOf(row, e.frame, kind)}`, {
          compress: false,
          mtime,
          mode: 0o644,
        });
      zip.end();
      response.attachment(`${folder}.zip`).type('application/zip');
      const stream = zip.outputStream;
      stream.pipe(response);
      response.on('close', () => stream.unpipe(response));
      await once(response, 'close');
    },
  );
}

/** The name a frame has outside. @example lamp-room.0024.exr */
function nameOf(row: sql.SequenceRow, frame: number, kind: schema.StillFileKind): string {
  const { request, shotName: shot, version, createdAt } = row;
  const named = { shot, version, take: row.setup.take?.number ?? 0, tier: request.tier, date: createdAt.slice(0, 10) };
  return `${frameName(request.naming, named, frame)}.${kind.startsWith('png') ? 'png' : 'exr'}`;
}

/** Format and depth are part of it: files of two kinds may have one name. */
function folderName({ shotName, request }: sql.SequenceRow, kind: schema.StillFileKind): string {
  return `${safeName(shotName)}-${request.first}-${request.last}-${kind}`;
}
