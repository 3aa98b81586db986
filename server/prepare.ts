/** Runs once after a build: writes the demo scenes as .glb files, and the folders that first starts are copied from. */
import { existsSync, mkdirSync } from 'node:fs';
import { cp, mkdir, rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { DEMO_SCENES } from '@daxel/demo/scenes';
import { writeGlb } from '@daxel/formats/gltf/writeGlb';
import { openDatabase, TEMPLATES } from './db/database';
import { DEMO_DIR, ensureDemo } from './demoProject';
import { BUILD } from './entries';
import { startQueue } from './jobs/queue';
import { atomicWrite } from './store/atomicWrite';
import { FileStore } from './store/fileStore';

mkdirSync(DEMO_DIR, { recursive: true });
for (const scene of DEMO_SCENES) await atomicWrite(join(DEMO_DIR, scene.file), await writeGlb(scene.build()));

const work = join(BUILD, 'template-work');
await rm(work, { recursive: true, force: true });
if (!existsSync(TEMPLATES.empty)) {
  const db = await openDatabase(work, null);
  const queue = await startQueue(db, (error) => process.stderr.write(`daxel: ${error.message}\n`));
  await queue.stop();
  await db.close();
  await rename(work, TEMPLATES.empty);
}
await mkdir(work);
await cp(TEMPLATES.empty, work, { recursive: true });
const db = await openDatabase(work, null);
const files = new FileStore(join(work, 'files'));
await files.open();
await ensureDemo(db, files);
await db.close();
await rm(TEMPLATES.demo, { recursive: true, force: true });
await rename(work, TEMPLATES.demo);
process.exit(0);
