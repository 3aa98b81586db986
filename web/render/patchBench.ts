/** Tries changes of a recipe on a picture: rendered whole by the page's threads, timed until times agree. */
import type { RenderedFrame } from '@daxel/core/frame/renderPool';
import { inPixels } from '@daxel/core/measure/rect';
import type { ShadowBench } from '@daxel/core/plan/shadowSearch';
import { timeIsKnown } from '@daxel/core/plan/timing';
import { edgeSource, type Wish } from '../composables/usePreview';
import type { Renderer } from './lonePool';
import { finished } from './runBench';

/** Renders that take longer are timed once. */
const SHORT_SECONDS = 1;

/** @param share of the picture, 0…1 */
export function patchBench(
  pool: Renderer,
  wish: Wish,
  share: { x: number; y: number; width: number; height: number },
): ShadowBench {
  return {
    async try(changes, _asked, signal) {
      const recipe = { ...wish.recipe, ...changes } as Wish['recipe'];
      const times: number[] = [];
      let frame: RenderedFrame;
      // maps that stand would be used again: each draws its own; short times are taken until they agree
      do {
        signal.throwIfAborted();
        frame = await finished(pool.render({ ...wish, recipe, view: 'picture', fresh: true }), signal);
        times.push(frame.seconds);
      } while (frame.seconds < SHORT_SECONDS && !timeIsKnown(times));
      const { width, height, views } = frame;
      const codes = views.display.slice(0, width * height * 4);
      return {
        source: edgeSource(frame),
        codes,
        rect: inPixels(share, width, height),
        seconds: Math.min(...times),
      };
    },
  };
}
