/** A .glb file → packed scene, in a thread of its own with limits, so that no file can take the server down. */
import { BadFileError } from '@daxel/core/errors';
import type { Recipe } from '@daxel/core/recipe/recipe';
import type { SceneMeta } from '@daxel/core/scene/compiled';
import type { Rig } from '@daxel/core/light/rig';
import { runLimited } from './runLimited';

export interface ImportedScene {
  /** Packed scene in shared memory. */
  buffer: SharedArrayBuffer;
  /** SHA-256 of the packed scene, worked out in the thread: it is large. */
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

const TIME_LIMIT_MS = 120_000;

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
  const reply = await runLimited<ImportReply>(
    'importThread',
    { path, name, preview },
    TIME_LIMIT_MS,
    signal,
    (why) => ({
      ok: false,
      message: `${name}: ${why} Reduce or split the scene, or export it again as .glb.`,
    }),
  );
  if (!reply.ok) throw Object.assign(new BadFileError(name, '', ''), { message: reply.message });
  return reply.scene;
}
