/** From .glb files to a project in the database, with everything it needs in the file store. */
import { randomUUID } from 'node:crypto';
import { copyFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Patch, Project } from '@daxel/api/schemas';
import type { Rig } from '@daxel/core/light/rig';
import type { Recipe } from '@daxel/core/recipe/recipe';
import type { Database } from '../db/database';
import { insertProject, listProjects, type NewScene } from '../sql/projects';
import type { FileStore } from '../store/fileStore';
import { importFile, type ImportOptions } from './importFile';

export interface SceneFile {
  path: string;
  /** Shown in errors. */
  name: string;
  recipes?: Record<string, Recipe>;
  patches?: Record<string, Omit<Patch, 'id'>[]>;
  hints?: Record<string, string>;
  /** Further lightings, made from the scene's own. */
  rigs?: (own: Rig) => Rig[];
}

type MakeOptions = Pick<ImportOptions, 'signal' | 'onProgress'>;

/** @throws BadFileError; nothing is kept then */
export async function makeProject(
  db: Database,
  files: FileStore,
  project: { name: string; source: Project['source']; scenes: SceneFile[] },
  { signal, onProgress }: MakeOptions = {},
): Promise<Project> {
  const scenes: NewScene[] = [];
  for (const file of project.scenes) scenes.push(await makeScene(files, file, { signal, onProgress }));
  signal?.throwIfAborted();
  const id = randomUUID();
  await insertProject(db, { id, name: project.name, source: project.source, scenes });
  const [made] = await listProjects(db, id);
  return made;
}

async function makeScene(files: FileStore, file: SceneFile, options: MakeOptions): Promise<NewScene> {
  const imported = await importFile(file.path, file.name, files.temporary, {
    preview: { recipes: file.recipes ?? {} },
    ...options,
  });
  const compiled = await files.adopt(imported.packed, imported.hash);
  const source = await keepSource(files, file.path);
  const { meta, counts } = imported;
  const scene: NewScene = {
    id: randomUUID(),
    name: meta.name || file.name,
    sourceHash: source,
    compiledHash: compiled.hash,
    compiledBytes: compiled.bytes,
    counts,
    warnings: meta.warnings,
    shots: [],
  };
  const rigs = [imported.rig, ...(file.rigs?.(imported.rig) ?? [])].map((r, i) => ({ ...r, id: `rig-${i + 1}` }));
  for (const [i, shot] of meta.shots.entries()) {
    const { recipe, thumbnail } = imported.shots[i];
    scene.shots.push({
      id: randomUUID(),
      name: shot.name,
      firstFrame: shot.firstFrame,
      lastFrame: shot.lastFrame,
      rate: shot.rate,
      seed: shot.seed,
      recipe,
      patches: (file.patches?.[shot.name] ?? []).map((p) => ({ ...p, id: randomUUID().slice(0, 8) })),
      rigs,
      rigId: rigs[0].id,
      hint: file.hints?.[shot.name] ?? null,
      thumbnailHash: thumbnail && (await files.put(thumbnail)).hash,
    });
  }
  return scene;
}

async function keepSource(files: FileStore, path: string): Promise<string> {
  const copy = join(files.temporary, `${randomUUID()}.glb`);
  await copyFile(path, copy);
  return (await files.adopt(copy)).hash;
}
