/** Runs once after a build: writes the demo scenes as .glb files. */
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { buildLampRoom } from '@daxel/demo/lampRoom/lampRoom';
import { writeGlb } from '@daxel/formats/gltf/writeGlb';
import { BUILD } from './entries';
import { atomicWrite } from './store/atomicWrite';

const dir = join(BUILD, 'demo');
mkdirSync(dir, { recursive: true });
await atomicWrite(join(dir, 'lamp-room.glb'), await writeGlb(buildLampRoom()));
