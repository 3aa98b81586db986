/** A .glb file → packed scene, in a process of its own with limits, so that no file can take the server down. */
import { BadFileError } from '@daxel/core/errors';
import type { Recipe } from '@daxel/core/recipe/recipe';
import type { SceneMeta } from '@daxel/core/scene/compiled';
import type { Rig } from '@daxel/core/light/rig';
import { intoFile, runLimited } from './runLimited';
import type { ImportProgress } from '@daxel/api/schemas';

export interface ImportedScene {
  /** Path of the packed scene, which whoever asked for it takes over. */
  packed: string;
  /** SHA-256 of it, worked out there: it is large. */
  hash: string;
  meta: SceneMeta;
  counts: SceneCounts;
  /** The scene's own light. */
  rig: Rig;
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

export interface ImportOrder {
  path: string;
  name: string;
  preview: PreviewOptions | null;
  /** Where the packed scene is written. */
  packed: string;
}

const TIME_LIMIT_MS = 120_000;

export interface ImportOptions {
  /** Asks for a recipe and a small picture of every shot. */
  preview?: PreviewOptions;
  /** Stops the reading when nobody waits for it any more. */
  signal?: AbortSignal;
  /** Bytes of memory that reading it may take. */
  memory?: number;
  onProgress?: (progress: ImportProgress) => void;
}

/**
 * Reads, checks and compiles a .glb in a process with limits, so that a hostile file cannot harm the server.
 * @param name shown in errors
 * @param outDir where the packed scene is left
 * @throws BadFileError
 */
export async function importFile(
  path: string,
  name: string,
  outDir: string,
  { preview, signal, memory, onProgress }: ImportOptions = {},
): Promise<ImportedScene> {
  return intoFile(outDir, async (packed) => {
    const order: ImportOrder = { path, name, preview: preview ?? null, packed };
    const failed = (why: string): ImportReply => ({
      ok: false,
      message: `${name}: ${why} Reduce or split the scene, or export it again as .glb.`,
    });
    const limits = { timeMs: TIME_LIMIT_MS, memory, signal, failed, onProgress };
    const reply = await runLimited<ImportReply, ImportProgress>('importProcess', order, limits);
    if (reply.ok) return reply.scene;
    throw Object.assign(new BadFileError(name, '', ''), { message: reply.message });
  });
}
