/** The demo: Marrow Skerry Light and the charts, from the .glb files that the build made. */
import { join } from 'node:path';
import { DEMO_SCENES } from '@daxel/demo/scenes';
import type { Database } from './db/database';
import { BUILD } from './entries';
import { makeProject } from './import/makeProject';
import { hasDemo } from './sql/projects';
import type { FileStore } from './store/fileStore';

export const DEMO_DIR = join(BUILD, 'demo');

/** Makes the demo projects once; when they were deleted they stay so. */
export async function ensureDemo(db: Database, files: FileStore): Promise<void> {
  if (await hasDemo(db)) return;
  const names = [...new Set(DEMO_SCENES.map((s) => s.project))];
  for (const name of names) {
    const scenes = DEMO_SCENES.filter((s) => s.project === name).map((s) => ({
      path: join(DEMO_DIR, s.file),
      name: s.file,
      recipes: { [s.shot]: s.recipe },
      patches: { [s.shot]: s.patches },
      hints: { [s.shot]: s.hint },
      rigs: s.rigs,
    }));
    await makeProject(db, files, { name, source: 'demo', scenes });
  }
}
