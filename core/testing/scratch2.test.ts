import { it } from 'vitest';
import { FLICKER_CASES, CASE_WIDTH as width, CASE_HEIGHT as height } from './flickerCases';
import { flowPicture } from '../measure/stability/flow/flowPicture';
import { estimateFlow } from '../measure/stability/flow/flow';
import { displayCandela } from '../measure/stability/flicker';
it('time', () => {
  for (const name of ['nothing but the camera, panning', 'noise of 14 codes, still', 'a ball passes']) {
    const c = FLICKER_CASES.find((x) => x.name === name)!;
    for (const g of ['fine','coarse','none'] as const) {
      const t0 = performance.now();
      const f = c.frames(g);
      const t1 = performance.now();
      const p = f.map((x) => flowPicture(displayCandela(x.luminance), width, height));
      const t2 = performance.now();
      let prior = null as Float64Array | null; let fo = 0, lo = 0;
      for (let k = 0; k + 1 < p.length; k++) { const r = estimateFlow(p[k], p[k + 1], prior); prior = r.blocks; fo += r.followed; lo += r.lost; }
      const t3 = performance.now();
      console.log(name, g, 'gen', ((t1 - t0) / f.length).toFixed(1), 'prep', ((t2 - t1) / f.length).toFixed(1), 'flow', ((t3 - t2) / (f.length - 1)).toFixed(1), 'followed', (fo/(p.length-1)).toFixed(2), 'lost', (lo/(p.length-1)).toFixed(2));
    }
  }
}, 600000);
