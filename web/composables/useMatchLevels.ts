/** Proposes light levels that bring the rasterised picture closest to a reference: every light is drawn alone, small. */
import { onUnmounted, ref, shallowRef } from 'vue';
import type { StoredRig } from '@daxel/api/schemas';
import type { RenderTicket } from '@daxel/core/frame/renderPool';
import { blockMeans, matchLevels } from '@daxel/core/measure/matchLevels';
import type { Lighting, PlacedLight } from '@daxel/core/scene/source';
import type { EnvironmentSource } from '@daxel/core/light/surroundings/document';
import type { Wish } from './usePreview';
import { renderPool } from './useShot';

export interface LevelProposal {
  /** Index of the light in the rig; −1 for the surroundings. */
  lights: { index: number; name: string; factor: number }[];
  /** Stops that all of them together change. */
  exposure: number;
  before: number;
  after: number;
}

/** Levels need no detail. */
const MOST_WIDE = 240;
/** Places across the picture that are fitted. */
const BLOCKS = 48;
/** Enough that edges are no noise. */
const SAMPLES = 16;
/** Factors beyond these are no adjustment any more. */
const RANGE = 64;

export function useMatchLevels() {
  const proposal = shallowRef<LevelProposal | null>(null);
  const running = ref<{ done: number; all: number } | null>(null);
  const failure = ref<string | null>(null);
  let ticket: RenderTicket | null = null;
  let cancelled = false;

  /**
   * @param size of the reference
   * @param small gives the reference at a size, scene-linear under the wish's exposure
   */
  async function search(
    wish: Wish,
    rig: StoredRig,
    size: { width: number; height: number },
    small: (width: number, height: number) => Promise<Float32Array>,
  ): Promise<void> {
    if (running.value) return;
    cancelled = false;
    failure.value = proposal.value = null;
    const width = Math.min(MOST_WIDE, size.width);
    const height = Math.max(1, Math.round((width * size.height) / size.width));
    const recipe = {
      ...wish.recipe,
      'output.width': width,
      'output.height': height,
      'samples.pixel': SAMPLES,
      'samples.shutter': 1,
    };
    const { lights, environment } = wish.lighting;
    const dark: EnvironmentSource = { ...environment, lightsSurfaces: false, seenInReflections: false };
    const parts: { index: number; lighting: Lighting }[] = lights.flatMap((light, index) =>
      light.intensity === 0 ? [] : [{ index, lighting: { ...wish.lighting, lights: [light], environment: dark } }],
    );
    if (environment.lightsSurfaces || environment.seenInReflections)
      parts.push({ index: -1, lighting: { ...wish.lighting, lights: [] } });
    running.value = { done: 0, all: parts.length + 1 };
    const blocks = (rgb: Float32Array): Float32Array => blockMeans(rgb, width, height, BLOCKS);
    const draw = async (lighting: Lighting): Promise<Float32Array> => {
      ticket = renderPool().render({ ...wish, recipe, lighting, view: 'picture' });
      const frame = await ticket.promise;
      if (!frame.finished || cancelled) throw new Error('Cancelled.');
      running.value = { done: (running.value?.done ?? 0) + 1, all: parts.length + 1 };
      return Float32Array.from(frame.views.beauty.subarray(0, width * height * 3));
    };
    try {
      const fixed = await draw({ ...wish.lighting, lights: [], environment: dark });
      const layers: Float32Array[] = [];
      for (const part of parts) {
        const alone = await draw(part.lighting);
        for (let i = 0; i < alone.length; i++) alone[i] -= fixed[i];
        layers.push(alone);
      }
      const { factors, before, after } = matchLevels(
        layers.map(blocks),
        blocks(fixed),
        blocks(await small(width, height)),
      );
      const held = factors.map((f) => Math.min(RANGE, Math.max(0, f)));
      proposal.value = {
        lights: parts.map(({ index }, k) => ({ index, name: nameOf(rig, lights, index), factor: held[k] })),
        exposure: meanStops(held),
        before,
        after,
      };
    } catch (error) {
      if (!cancelled) failure.value = (error as Error).message;
    } finally {
      running.value = null;
      ticket = null;
    }
  }
  function cancel(): void {
    cancelled = true;
    ticket?.cancel();
  }
  onUnmounted(cancel);
  return { proposal, running, failure, search, cancel, dismiss: () => (proposal.value = null) };
}

function nameOf(rig: StoredRig, lights: readonly PlacedLight[], index: number): string {
  return index < 0 ? 'surroundings' : (lights[index].name ?? rig.lights[index]?.name ?? `light ${index + 1}`);
}

/** What an exposure change alone would have to be: the geometric mean of the factors that are not zero. */
function meanStops(factors: readonly number[]): number {
  const some = factors.filter((f) => f > 0);
  return some.length > 0 ? some.reduce((sum, f) => sum + Math.log2(f), 0) / some.length : 0;
}
