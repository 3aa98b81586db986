/** The order of preview pictures: a coarse one at once, then the full one; newer wishes cancel older work. */
import type { FrameViews } from '@daxel/core/frame/frameMemory';
import type { FrameRequest, RenderedFrame, RenderTicket } from '@daxel/core/frame/renderPool';
import { coarser } from '@daxel/core/recipe/coarse';
import { totalSamples, type ResolvedRecipe } from '@daxel/core/recipe/recipe';
import type { Renderer } from './lonePool';

/** A picture that is kept: sRGB codes, rgba. */
export interface Picture {
  width: number;
  height: number;
  codes: Uint8ClampedArray<ArrayBuffer>;
  samples: number;
  coarse: boolean;
}

export interface PreviewListener {
  /** @param frame comes with a coarse picture, which may have drawn the shadow maps for both */
  onPicture(picture: Picture, frame?: RenderedFrame): void;
  /** The full picture stands, with its figures. */
  onSettled(picture: Picture, frame: RenderedFrame): void;
  onError(error: Error): void;
}

/** The coarse picture is so much smaller a side. */
const COARSE = 4;
/** Frames of fewer pixel samples than this are drawn at once. */
const QUICK_PIXELS = 40_000;

export class Preview {
  private next: FrameRequest | null = null;
  private coarseOnly = false;
  private full: RenderTicket | null = null;
  private coarse: RenderTicket | null = null;
  private looping = false;

  constructor(
    private readonly pool: Pick<Renderer, 'render' | 'holds'>,
    private readonly listener: PreviewListener,
  ) {}

  /**
   * Shows a frame as soon as it can. A full picture under way stops; a coarse one is let finish, so that the picture
   * keeps following a hand that never rests.
   * @param coarseOnly a better picture is not worth drawing yet
   */
  show(request: FrameRequest, coarseOnly = false): void {
    this.next = request;
    this.coarseOnly = coarseOnly;
    this.full?.cancel();
    // baking for a picture that nobody waits for any more would hold up the next
    if (this.coarse?.bakes()) this.coarse.cancel();
    if (!this.looping) void this.loop();
  }

  /** Share of what is baked for the picture that is drawn, 0…1; null while nothing is. */
  baked(): number | null {
    const ticket = this.full ?? this.coarse;
    return ticket?.bakes() ? ticket.progress() : null;
  }

  cancel(): void {
    this.next = null;
    this.full?.cancel();
    if (this.coarse?.bakes()) this.coarse.cancel();
  }

  private async loop(): Promise<void> {
    this.looping = true;
    while (this.next) {
      const request = this.next;
      this.next = null;
      try {
        await this.draw(request);
      } catch (error) {
        if (!this.next) this.listener.onError(error as Error);
      }
    }
    this.looping = false;
  }

  private async draw(request: FrameRequest): Promise<void> {
    const { recipe } = request;
    const width = recipe['output.width'] as number;
    const height = recipe['output.height'] as number;
    const samples = totalSamples(recipe);
    const { coarseOnly } = this;
    // a picture that is only developed anew is there as soon as a coarse one
    const quickly = width * height * samples <= QUICK_PIXELS || this.pool.holds(request);
    if (coarseOnly || !quickly) {
      this.coarse = this.pool.render({ ...request, recipe: coarseRecipe(recipe, COARSE, coarseOnly) });
      const coarse = await this.coarse.promise.finally(() => (this.coarse = null));
      if (!coarse.finished) return;
      this.listener.onPicture(copyPicture(coarse.views, coarse.width, coarse.height, 1, true), coarse);
      if (this.next || coarseOnly) return;
    }
    this.full = this.pool.render({ ...request, reuse: true }, (views, done) => {
      if (!this.next && done < samples) this.listener.onPicture(copyPicture(views, width, height, done, false));
    });
    const frame = await this.full.promise.finally(() => (this.full = null));
    if (!frame.finished) return;
    const picture = copyPicture(frame.views, frame.width, frame.height, frame.samples, false);
    // a newer wish that came too late to stop this one: its picture is still to be drawn, so nothing stands yet
    if (this.next) this.listener.onPicture(picture);
    else this.listener.onSettled(picture, frame);
  }
}

/** Fewer pixels, and less of what costs most. @param passing see `coarser` */
export function coarseRecipe(recipe: ResolvedRecipe, smaller = COARSE, passing = false): ResolvedRecipe {
  return {
    ...coarser(recipe, passing),
    'output.width': Math.max(16, Math.round((recipe['output.width'] as number) / smaller)),
    'output.height': Math.max(16, Math.round((recipe['output.height'] as number) / smaller)),
  };
}

/** What a frame shows, kept: its memory is used again by the next one. */
export function copyPicture(
  views: FrameViews,
  width: number,
  height: number,
  samples: number,
  coarse: boolean,
): Picture {
  // image data may not lie in shared memory
  const codes = new Uint8ClampedArray(width * height * 4);
  codes.set(views.display.subarray(0, codes.length));
  return { width, height, codes, samples, coarse };
}
