/** Runs once after a build: writes the demo scenes as .glb files and the database that first starts are copied from. */
import { existsSync, mkdirSync } from 'node:fs';
import { rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { DEMO_SCENES } from '@daxel/demo/scenes';
import { writeGlb } from '@daxel/formats/gltf/writeGlb';
import { openDatabase, TEMPLATE } from './db/database';
import { DEMO_DIR } from './demoProject';
import { BUILD } from './entries';
import { startQueue } from './jobs/queue';
import { atomicWrite } from './store/atomicWrite';

mkdirSync(DEMO_DIR, { recursive: true });
for (const scene of DEMO_SCENES) await atomicWrite(join(DEMO_DIR, scene.file), await writeGlb(scene.build()));

if (!existsSync(TEMPLATE)) {
  const work = join(BUILD, 'database-template.work');
  await rm(work, { recursive: true, force: true });
  const db = await openDatabase(work);
  const queue = await startQueue(db, (error) => process.stderr.write(`daxel: ${error.message}\n`));
  await queue.stop();
  await db.close();
  await rename(join(work, 'postgres'), TEMPLATE);
  await rm(work, { recursive: true, force: true });
}
process.exit(0);
