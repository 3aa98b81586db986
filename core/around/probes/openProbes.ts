/** Irradiance probes at work on one thread: baked before a frame, asked within it. */
import type { FrameWork } from '../../frame/frameWork';
import { tracedScene } from '../../frame/stages/rays';
import type { Look } from '../../frame/look';
import { canTracePaths, PathKernel, pathScratchBytes } from '../../trace/pathKernel';
import { lookingInput } from '../lookAround';
import type { OpenAround, SurfaceRow } from '../method';
import { bakeProbe, BROUGHT, type Bake } from './bake';
import { fillBuried } from './fillBuried';
import { tellPlace } from '../tellPlace';
import type { Asked } from '../view';
import { askBox, FOUND_SIZE, FOUND_SURE } from './gather';
import { ORDERS_BYTES, ProbeLoops } from './probeLoops';
import { createProbeView } from './showProbes';
import type { ProbeOptions, ProbeViews } from './stage';

export function openProbes(work: FrameWork, options: ProbeOptions, views: ProbeViews): OpenAround {
  const { boxes } = options;
  const { probes } = views;
  const compiled =
    work.memory && new ProbeLoops(work.memory, work.team.part(views.probeOrders, ORDERS_BYTES), options, probes);
  const normal = new Float64Array(3);
  const face = new Float64Array(3);
  const at: Asked = { x: 0, y: 0, z: 0, normal, face };
  const found = new Float64Array(FOUND_SIZE);

  const askAt = (row: SurfaceRow, i: number): void => {
    const { base, position, normal: n, face: f } = row;
    at.x = base[0] + position[0][i];
    at.y = base[1] + position[1][i];
    at.z = base[2] + position[2][i];
    for (let c = 0; c < 3; c++) {
      normal[c] = n[c][i];
      face[c] = f[c][i];
    }
    for (const [b, box] of boxes.entries()) {
      if (row.bounceSure[i] >= 1) return;
      askBox(box, probes, at, found);
      tellPlace(row, i, found, { sure: found[FOUND_SURE], after: options.after && b === 0 });
    }
  };

  return {
    answers: 'probes',
    anywhere: true,
    matteOnly: true,
    prepare(look, stands) {
      if (stands) return true;
      if (options.bakes) return bakeAll(work, options, views, look);
      // baking was cancelled, and with it the frame
      if (!work.team.share(0, () => undefined)) return false;
      throw new Error('The probes of this frame were not baked.');
    },
    begin() {
      // they answer alike for every sample
    },
    shows: ['probes'],
    show: (look) => createProbeView(boxes, probes, look),
    gather(row) {
      if (row.compiled && compiled) return compiled.ask(row.base);
      for (let i = 0; i < row.count; i++) {
        if (row.live[i] === 0 || !(row.diffuse[0][i] + row.diffuse[1][i] + row.diffuse[2][i] > 0)) continue;
        askAt(row, i);
      }
    },
  };
}

/** @returns false when cancelled */
function bakeAll(work: FrameWork, options: ProbeOptions, views: ProbeViews, look: Look): boolean {
  const { scene, memory, team, clock } = work;
  const traced = tracedScene(work, work.rays);
  const sums = team.part(views.probeSums, views.probeSums.length / team.size);
  const input = lookingInput(work, look, { options, traced, paths: sums });
  const scratch = team.part(views.probePaths, pathScratchBytes(scene.meta.materials.length));
  const compiled = memory && canTracePaths(input.emitters) ? new PathKernel(memory, scratch, input) : null;
  const bake: Bake = {
    tracer: { input, compiled },
    ...{
      boxes: options.boxes,
      probes: views.probes,
      sums,
      rays: options.rays,
      brought: new Float32Array(options.rays * BROUGHT),
      ends: options.bounces === 0,
    },
  };
  team.announce(options.probes);
  const one = clock.timed('bounce', (n) => bakeProbe(bake, n));
  if (!team.share(options.probes, one, 1)) return false;
  return team.share(options.boxes.length, (b) => fillBuried(options.boxes[b], views.probes));
}
