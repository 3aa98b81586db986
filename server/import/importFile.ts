/** A .glb file → packed scene, in a thread of its own with limits, so that no file can take the server down. */
import { Worker } from 'node:worker_threads';
import { BadFileError } from '@daxel/core/errors';
import type { Recipe } from '@daxel/core/recipe/recipe';
import type { SceneMeta } from '@daxel/core/scene/compiled';
import { entryUrl } from '../entries';

export interface ImportedScene {
  /** Packed scene in shared memory. */
  buffer: SharedArrayBuffer;
  /** SHA-256 of the packed scene, worked out in the thread: it is large. */
  hash: string;
  meta: SceneMeta;
  counts: SceneCounts;
  /** One for each shot when previews were asked for. */
  shots: ShotPreview[];
}

export interface ShotPreview {
  recipe: Recipe;
  /** PNG; null when there was no time left for it. */
  thumbnail: Uint8Array | null;
}

export interface PreviewOptions {
  /** By shot name; a shot that is not named gets a starting recipe with a metered exposure. */
  recipes: Record<string, Recipe>;
}

export interface SceneCounts {
  triangles: number;
  vertices: number;
  objects: number;
  materials: number;
  textures: number;
  textureBytes: number;
  lights: number;
}

export type ImportReply = { ok: true; scene: ImportedScene } | { ok: false; message: string };

const TIME_LIMIT_MS = 120_000;
const HEAP_MB = 3072;

/**
 * Reads, checks and compiles a .glb in a thread with limits, so that a hostile file cannot harm the server.
 * @param name shown in errors
 * @param signal stops the reading when nobody waits for it any more
 * @param preview asks for a recipe and a small picture of every shot
 * @throws BadFileError
 */
export async function importFile(
  path: string,
  name: string,
  preview: PreviewOptions | null = null,
  signal?: AbortSignal,
): Promise<ImportedScene> {
  const worker = new Worker(entryUrl('importThread'), {
    workerData: { path, name, preview },
    resourceLimits: { maxOldGenerationSizeMb: HEAP_MB },
  });
  let timer: NodeJS.Timeout | undefined;
  const reply = await new Promise<ImportReply>((resolve) => {
    timer = setTimeout(
      () => resolve({ ok: false, message: `${name}: reading it took over two minutes. Reduce or split the scene.` }),
      TIME_LIMIT_MS,
    );
    signal?.addEventListener('abort', () => resolve({ ok: false, message: `${name}: the import was cancelled.` }), {
      once: true,
    });
    worker.once('message', resolve);
    worker.once('error', (error: NodeJS.ErrnoException) =>
      resolve({
        ok: false,
        message:
          error.code === 'ERR_WORKER_OUT_OF_MEMORY'
            ? `${name}: reading it needs too much memory. Reduce or split the scene.`
            : `${name}: it cannot be read (${error.message}). Export the scene again as .glb.`,
      }),
    );
    worker.once('exit', () => resolve({ ok: false, message: `${name}: reading it ended unexpectedly.` }));
  });
  clearTimeout(timer);
  void worker.terminate();
  if (!reply.ok) throw Object.assign(new BadFileError(name, '', ''), { message: reply.message });
  return reply.scene;
}
