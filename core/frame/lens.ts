/** From sums of samples to the display picture: averaged with frames before, brought to size, exposed, its glow spread. */
import { spreadGlow } from '../film/bloom';
import { exp2 } from '../math/exact';
import { touchedPixels } from '../measure/rect';
import type { WholeSample } from '../shading/shadeKernel';
import type { PixelBox } from '../raster/tile';
import { rayFrame } from '../scene/camera';
import { accumulate } from './accumulate';
import {
  developKernel,
  encodeQuickly,
  encodeRows,
  gatherBeauty,
  gatherQuickly,
  spreadQuickly,
  type DevelopInput,
} from './develop';
import { ROW_BLOCK } from './frameMemory';
import type { FrameWork } from './frameWork';
import { scaleRows, scalingOf } from './scaling';

export interface Lens {
  /**
   * Takes the sums of so many samples of a tile together while they are near, and says where a single one goes at once;
   * null where something else comes before that. All tiles are wanted then.
   */
  gather: { tile(tile: PixelBox, samples: number): void; whole(): WholeSample } | null;
  /**
   * Turns the sums of so many samples into the display picture.
   * @param gathered the tiles stand in `beauty` already @returns false when cancelled
   */
  develop(samples: number, last: boolean, gathered?: boolean): boolean;
}

export function createLens(work: FrameWork): Lens {
  const { settings, frame, whole, memory, team, clock, view } = work;
  const { width, height } = settings;
  const scaling = scalingOf(whole, frame, settings);
  const developer = memory && developKernel(memory, frame.codes);
  const blocks = Math.ceil(height / ROW_BLOCK);
  const rows = (run: (from: number, to: number) => void) =>
    clock.timed('lens', (b) => run(b * ROW_BLOCK, Math.min(height, (b + 1) * ROW_BLOCK)));
  const rays = rayFrame(work.camera, width, height);
  // instruments but those of light are not exposed: their colours are their meaning
  const picturing = view === 'picture' || view === 'light' || view === 'bounce';
  const developing = (samples: number): DevelopInput => ({
    width,
    height,
    sums: whole.sums,
    scale: (picturing ? exp2(settings.exposureEv) : 1) / samples,
    beauty: whole.beauty,
    glow: whole.glow,
    display: whole.display,
    tone: picturing ? settings.tone : 'none',
    bloom: picturing ? settings.bloom : 0,
    vignette: picturing ? settings.vignette : 0,
    dither: settings.dither,
    rays,
  });
  const gather = (input: DevelopInput, box: PixelBox): void => {
    if (developer) gatherQuickly(developer, input, box);
    else gatherBeauty(input, box);
  };
  const resize = (): boolean => {
    if (!scaling) return true;
    // of parts alone no more is scaled than of them: a price by parts would be that of the whole picture otherwise
    const parts = (work.regions ?? [{ x: 0, y: 0, width, height }]).map((r) => touchedPixels(r, width, height));
    const scale = rows((from, to) => {
      for (const { x0, y0, x1, y1 } of parts) scaleRows(scaling, Math.max(y0, from), Math.min(y1, to), x0, x1);
    });
    return team.share(blocks, scale);
  };
  const gathers = !scaling && !(work.history && settings.history) && !work.regions;
  return {
    gather: gathers
      ? {
          tile(tile, samples) {
            const from = clock.now();
            gather(developing(samples), tile);
            clock.book('lens', from);
          },
          whole: () => developing(1),
        }
      : null,
    develop(samples, last, gathered = false) {
      if (last && !accumulate(work, samples)) return false;
      if (!resize()) return false;
      const input = developing(samples);
      const gathering = rows((y0, y1) => gather(input, { x0: 0, y0, x1: width, y1 }));
      const encode = rows((from, to) => {
        if (developer) encodeQuickly(developer, input, from, to);
        else encodeRows(input, from, to);
      });
      if (input.bloom === 0) {
        return team.share(blocks, (b) => {
          if (!gathered) gathering(b);
          encode(b);
        });
      }
      // the glow of a place comes from all others
      if (!gathered && !team.share(blocks, gathering)) return false;
      const spread = clock.timed('lens', () => {
        if (developer) spreadQuickly(developer, input);
        else whole.glow.set(spreadGlow(whole.beauty, width, height).rgb);
      });
      return team.share(1, spread) && team.share(blocks, encode);
    },
  };
}
