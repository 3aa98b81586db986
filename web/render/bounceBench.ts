/** Tries changes of a recipe on the bounced light of places: rendered whole by the page's threads, and timed once all stands. */
import type { RenderedFrame } from '@daxel/core/frame/renderPool';
import { componentAt, SUMS } from '@daxel/core/light/components';
import { luminance } from '@daxel/core/math/color';
import { exp2 } from '@daxel/core/math/exact';
import type { PlacePart } from '@daxel/core/measure/partLevel';
import type { Rect } from '@daxel/core/measure/rect';
import type { BounceBench } from '@daxel/core/plan/bounceSearch';
import type { Wish } from '../composables/usePreview';
import type { Renderer } from './lonePool';
import { timed } from './patchBench';
import { finished } from './runBench';

/** @param rects whole pixels within the picture */
export function bounceBench(pool: Renderer, wish: Wish, rects: readonly Rect[]): BounceBench {
  return {
    async try(changes, _asked, signal) {
      const recipe = { ...wish.recipe, ...changes } as Wish['recipe'];
      const render = (): Promise<RenderedFrame> => {
        signal.throwIfAborted();
        return finished(pool.render({ ...wish, recipe, view: 'picture' }), signal);
      };
      // voxels and probes that are not there yet are made first: once, and not for every frame
      const first = await render();
      const baked = first.probes?.seconds ?? 0;
      const { frame, seconds } = await timed(render);
      const { boxes } = frame.probes ?? {};
      return {
        parts: rects.map((rect) => bounceOf(frame, recipe['lens.exposure'] as number, rect)),
        seconds,
        once: baked + Math.max(0, first.seconds - seconds),
        spacing: boxes ? Math.max(...boxes[0].step) : null,
      };
    },
  };
}

/** Copied from a frame, whose memory is used again. */
function bounceOf({ views, width, samples }: RenderedFrame, exposureEv: number, rect: Rect): PlacePart {
  const { sums, beauty } = views;
  const bounce = componentAt('bounce');
  const scale = exp2(exposureEv) / samples;
  const light = new Float32Array(rect.width * rect.height);
  let all = 0;
  for (let y = 0, k = 0; y < rect.height; y++)
    for (let x = 0; x < rect.width; x++, k++) {
      const i = (rect.y + y) * width + rect.x + x;
      const s = i * SUMS + bounce;
      light[k] = luminance(sums[s], sums[s + 1], sums[s + 2]) * scale;
      all += luminance(beauty[i * 3], beauty[i * 3 + 1], beauty[i * 3 + 2]);
    }
  return { width: rect.width, height: rect.height, light, all: all / light.length, error: null };
}
