/** The Express application: guards, routes, the built pages. */
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import express, { type Express } from 'express';
import helmet from 'helmet';
import type { Database } from '../db/database';
import { BUILD } from '../entries';
import type { JobRunner } from '../jobs/jobRunner';
import type { SequenceJobs } from '../jobs/sequenceJobs';
import type { StillJobs } from '../jobs/stillJobs';
import type { WedgeJobs } from '../jobs/wedgeJobs';
import type { FileStore } from '../store/fileStore';
import type { StorageKeeper } from '../store/storage';
import type { EventStream } from './eventStream';
import { answerError, refuse, sameSiteOnly, tokenOnly } from './guards';
import { openApiDocument } from './openApi';
import { environmentRoutes } from './routes/environments';
import { fileRoutes } from './routes/files';
import { probeRoutes } from './routes/probes';
import { serverRoutes } from './routes/server';
import { projectRoutes } from './routes/projects';
import { sequenceRoutes } from './routes/sequences';
import { shotRoutes } from './routes/shots';
import { stillRoutes } from './routes/stills';
import { storageRoutes } from './routes/storage';
import { wedgeRoutes } from './routes/wedges';

export interface Services {
  db: Database;
  files: FileStore;
  stills: StillJobs;
  wedges: WedgeJobs;
  sequences: SequenceJobs;
  runner: JobRunner;
  events: EventStream;
  storage: StorageKeeper;
  /** Upload limit, bytes. */
  uploadLimit: number;
}

export interface AppOptions {
  /** Whether the server goes by a name. */
  answersTo: (name: string) => boolean;
  token?: string;
}

export function createApp(services: Services, options: AppOptions): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'none'"],
          // the compiled loops are WebAssembly
          scriptSrc: ["'self'", "'wasm-unsafe-eval'"],
          // Vuetify writes its theme into a style element and sizes into style attributes
          styleSrc: ["'self'", "'unsafe-inline'"],
          imgSrc: ["'self'", 'blob:', 'data:'],
          // movies made in the page
          mediaSrc: ["'self'", 'blob:'],
          fontSrc: ["'self'"],
          connectSrc: ["'self'"],
          workerSrc: ["'self'"],
          baseUri: ["'none'"],
          formAction: ["'none'"],
          frameAncestors: ["'none'"],
        },
      },
      // memory shared between render workers needs an isolated page
      crossOriginOpenerPolicy: { policy: 'same-origin' },
      crossOriginEmbedderPolicy: { policy: 'require-corp' },
      crossOriginResourcePolicy: { policy: 'same-origin' },
      strictTransportSecurity: false,
    }),
    sameSiteOnly(options.answersTo),
    tokenOnly(options.token),
  );
  const all = [
    serverRoutes(services),
    projectRoutes(services),
    shotRoutes(services),
    stillRoutes(services),
    wedgeRoutes(services),
    sequenceRoutes(services),
    fileRoutes(services),
    probeRoutes(services),
    environmentRoutes(services),
    storageRoutes(services),
  ];
  const document = openApiDocument(new Map(all.flatMap((routes) => [...routes.operations])));
  app.get('/api/openapi.json', (_request, response) => void response.json(document));
  for (const { router } of all) app.use('/api', router);
  app.use('/api', (_request, response) => refuse(response, 404, 'not-found', 'There is nothing at this address.'));

  const pages = join(BUILD, 'web');
  app.use('/assets', express.static(join(pages, 'assets'), { immutable: true, maxAge: '365d', fallthrough: false }));
  app.use(express.static(pages, { index: false }));
  app.get('/{*path}', (_request, response, next) => {
    const page = join(pages, 'index.html');
    if (existsSync(page)) response.set('Cache-Control', 'no-cache').sendFile(page);
    else next();
  });
  app.use((_request, response) => refuse(response, 404, 'not-found', 'There is nothing at this address.'));
  app.use(answerError);
  return app;
}
