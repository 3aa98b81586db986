/** The one way to the server: every answer is checked by the schema it was written with. */
import { z } from 'zod';
import * as schema from '@daxel/api/schemas';
import { sharedBytes } from '@daxel/kernel/load';
import type { FromStream } from './streamWorker';

/** A refusal or a failure, with the line that the server wrote for the artist. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
  ) {
    super(message);
    this.name = 'ApiError';
  }
}

async function ask(path: string, init?: RequestInit): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(path, init);
  } catch {
    throw new ApiError(
      0,
      'offline',
      'The server does not answer. Start it again with ./daxel demo; your work is kept.',
    );
  }
  if (response.ok) return response;
  const parsed = schema.problem.safeParse(await response.json().catch(() => null));
  const { code, message } = parsed.success
    ? parsed.data.error
    : { code: 'failure', message: `The server answered ${response.status}.` };
  throw new ApiError(response.status, code, message);
}

async function get<T>(type: z.ZodType<T>, path: string): Promise<T> {
  return type.parse(await (await ask(path)).json());
}

/** Bytes. */
const MOST_KEPT_ALIVE = 60_000;

async function send<T>(type: z.ZodType<T>, method: string, path: string, body?: unknown): Promise<T> {
  const init: RequestInit = { method };
  if (body !== undefined) {
    init.headers = { 'Content-Type': 'application/json' };
    init.body = JSON.stringify(body);
  }
  // what is sent as the page is left outlives it; larger ones a browser refuses, and all such together
  const leaving = globalThis.document?.visibilityState === 'hidden';
  init.keepalive = leaving && new Blob([String(init.body ?? '')]).size < MOST_KEPT_ALIVE;
  const response = await ask(path, init);
  return type.parse(response.status === 204 ? undefined : await response.json());
}

const nothing = z.undefined();

export const api = {
  storage: () => get(schema.storage, '/api/storage'),
  freeStorage: () => send(schema.storage, 'POST', '/api/storage/free'),
  projects: () => get(z.array(schema.project), '/api/projects'),
  renameProject: (id: string, name: string) => send(schema.project, 'PATCH', `/api/projects/${id}`, { name }),
  deleteProject: (id: string) => send(nothing, 'DELETE', `/api/projects/${id}`),
  restoreProject: (id: string) => send(schema.project, 'POST', `/api/projects/${id}/restore`),
  changeShot: (id: string, change: schema.ShotChange) => send(schema.shot, 'PATCH', `/api/shots/${id}`, change),
  setThumbnail: async (id: string, png: Blob): Promise<void> => {
    await ask(`/api/shots/${id}/thumbnail`, { method: 'PUT', headers: { 'Content-Type': 'image/png' }, body: png });
  },
  renderStill: (shotId: string, request: z.input<typeof schema.stillRequest>) =>
    send(schema.still, 'POST', `/api/shots/${shotId}/stills`, request),
  stills: () => get(z.array(schema.still), '/api/stills?limit=200'),
  cancelStill: (id: string) => send(schema.still, 'POST', `/api/stills/${id}/cancel`),
  deleteStill: (id: string) => send(nothing, 'DELETE', `/api/stills/${id}`),
  restoreStill: (id: string) => send(schema.still, 'POST', `/api/stills/${id}/restore`),
  stillFile: (id: string, kind: schema.StillFileKind, download = false) =>
    `/api/stills/${id}/files/${kind}${download ? '?download' : ''}`,
  forming: (id: string, version: number) => `/api/stills/${id}/forming?v=${version}`,

  renderSequence: (shotId: string, request: z.input<typeof schema.sequenceRequest>) =>
    send(schema.sequence, 'POST', `/api/shots/${shotId}/sequences`, request),
  sequences: () => get(z.array(schema.sequence), '/api/sequences'),
  pauseSequence: (id: string) => send(schema.sequence, 'POST', `/api/sequences/${id}/pause`),
  cancelSequence: (id: string) => send(schema.sequence, 'POST', `/api/sequences/${id}/cancel`),
  resumeSequence: (id: string) => send(schema.sequence, 'POST', `/api/sequences/${id}/resume`),
  deleteSequence: (id: string) => send(nothing, 'DELETE', `/api/sequences/${id}`),
  restoreSequence: (id: string) => send(schema.sequence, 'POST', `/api/sequences/${id}/restore`),
  sequenceFrames: (id: string) => get(z.array(schema.sequenceFrame), `/api/sequences/${id}/frames`),
  sequenceFrame: (id: string, frame: number, kind: schema.StillFileKind, download = false) =>
    `/api/sequences/${id}/frames/${frame}/${kind}${download ? '?download' : ''}`,
  sequenceForming: (id: string, version: number) => `/api/sequences/${id}/forming?v=${version}`,
  sequenceZip: (id: string, kind: schema.StillFileKind) => `/api/sequences/${id}/zip/${kind}`,

  openWedges: () => get(z.array(schema.wedge), '/api/wedges'),
  wedges: (shotId: string) => get(z.array(schema.wedge), `/api/shots/${shotId}/wedges`),
  renderWedge: (shotId: string, request: z.input<typeof schema.wedgeRequest>) =>
    send(schema.wedge, 'POST', `/api/shots/${shotId}/wedges`, request),
  cancelWedge: (id: string) => send(schema.wedge, 'POST', `/api/wedges/${id}/cancel`),
  resumeWedge: (id: string) => send(schema.wedge, 'POST', `/api/wedges/${id}/resume`),
  deleteWedge: (id: string) => send(nothing, 'DELETE', `/api/wedges/${id}`),
  wedgePicture: (id: string, step: number | 'reference') => `/api/wedges/${id}/steps/${step}`,

  /** Brings an environment picture in. @param width agreed to when it is too wide as it is */
  importEnvironment: async (file: File, width?: number): Promise<schema.EnvironmentFile> => {
    const query = new URLSearchParams({ name: file.name, ...(width && { width: String(width) }) });
    const response = await ask(`/api/environments?${query}`, { method: 'POST', body: file });
    return schema.environmentFile.parse(await response.json());
  },
  /** An environment picture in memory that the render workers share, if they may. */
  environment: async (hash: string): Promise<ArrayBufferLike> => {
    const bytes = await (await ask(`/api/environments/${hash}`)).arrayBuffer();
    const buffer = sharedBytes(bytes.byteLength);
    new Uint8Array(buffer).set(new Uint8Array(bytes));
    return buffer;
  },

  /** Uploads a file; `onProgress` gets the share sent, 0…1. @param upload what the server's events name it by */
  importFile(
    file: File,
    upload: string,
    onProgress: (share: number) => void,
  ): { promise: Promise<schema.Project>; cancel: () => void } {
    const request = new XMLHttpRequest();
    const promise = new Promise<schema.Project>((resolve, reject) => {
      request.open('POST', `/api/projects?${new URLSearchParams({ name: file.name, upload })}`);
      request.setRequestHeader('Content-Type', 'model/gltf-binary');
      request.upload.onprogress = (e) => onProgress(e.loaded / Math.max(1, e.total));
      request.onerror = () => reject(new ApiError(0, 'offline', `${file.name}: the upload broke off. Try again.`));
      request.onabort = () => reject(new ApiError(0, 'cancelled', 'Import cancelled.'));
      request.onload = () => {
        let body: unknown = null;
        try {
          body = JSON.parse(request.responseText);
        } catch {
          // handled as a failure below
        }
        if (request.status === 201) return resolve(schema.project.parse(body));
        const parsed = schema.problem.safeParse(body);
        const line = parsed.success
          ? parsed.data.error
          : { code: 'failure', message: `${file.name}: the server answered ${request.status}.` };
        reject(new ApiError(request.status, line.code, line.message));
      };
      request.send(file);
    });
    return { promise, cancel: () => request.abort() };
  },

  /** Baked probes by the name of their file; null where nobody has baked them yet. */
  async probes(name: string): Promise<Uint8Array | null> {
    const response = await fetch(`/api/probes/${name}`);
    return response.status === 200 ? new Uint8Array(await response.arrayBuffer()) : null;
  },

  async keepProbes(name: string, bytes: Uint8Array<ArrayBuffer>): Promise<void> {
    const headers = { 'Content-Type': 'application/octet-stream' };
    await ask(`/api/probes/${name}`, { method: 'PUT', headers, body: bytes });
  },

  /**
   * The compiled scene, as it arrives.
   * @param into room for just its bytes
   * @param onArrived told how many are there, about fifty times; the rest waits for what it returns
   */
  async compiledScene(
    sceneId: string,
    into: Uint8Array,
    onArrived: (bytes: number) => void | Promise<void>,
    signal: AbortSignal,
  ): Promise<void> {
    const response = await ask(`/api/scenes/${sceneId}/compiled`, { signal });
    const bytes = into.length;
    const reader = response.body?.getReader();
    if (!reader) throw new ApiError(0, 'failure', 'The scene did not arrive.');
    let at = 0;
    for (;;) {
      const { done, value } = await reader.read();
      if (done) break;
      if (at + value.length > bytes)
        throw new ApiError(0, 'failure', 'The scene is not the one that was announced. Reload the page.');
      into.set(value, at);
      const before = Math.floor((at / bytes) * 50);
      at += value.length;
      if (Math.floor((at / bytes) * 50) !== before) await onArrived(at);
    }
    if (at !== bytes) throw new ApiError(0, 'failure', 'The scene did not arrive whole. Reload the page.');
  },
};

/** Events of the server until the returned function is called; the browser reconnects and resumes by itself. */
export function listenToServer(
  onEvent: (event: schema.ServerEvent) => void,
  onState: (connected: boolean) => void,
): () => void {
  const take = (data: string): void => {
    const parsed = schema.serverEvent.safeParse(JSON.parse(data));
    if (parsed.success) onEvent(parsed.data);
  };
  if (typeof SharedWorker === 'undefined') {
    const source = new EventSource('/api/events');
    source.onopen = () => onState(true);
    source.onerror = () => onState(false);
    source.onmessage = ({ data }: MessageEvent<string>) => take(data);
    return () => source.close();
  }
  // all tabs of a browser share one stream
  const { port } = new SharedWorker(new URL('./streamWorker.ts', import.meta.url), { type: 'module' });
  port.onmessage = ({ data }: MessageEvent<FromStream>) => {
    if ('connected' in data) onState(data.connected);
    else take(data.data);
  };
  return () => {
    port.postMessage('leave');
    port.close();
  };
}
