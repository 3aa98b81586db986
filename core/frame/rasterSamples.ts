/** The samples of a rasterised frame: each finds what its places in the pixels see, and shades that. */
import { samplePosition } from '../film/pixelFilter';
import { lensOf, lensSample, type Aperture } from '../scene/aperture';
import type { CameraView } from '../scene/camera';
import type { FrameWork } from './frameWork';
import type { Lens } from './lens';
import { eyeOf, roundsOf, type Look } from './look';
import { samplesDue, type SampleMethod } from './sampleMethod';
import { createSenders } from './senders';
import { createShading, type LookShading } from './shading';
import type { EyeStages } from './stages/openStages';
import { clearSums, writeOverlaid } from './tileArrays';

/** Samples that go through the tiles together. */
interface Group {
  from: number;
  to: number;
  /** The picture is developed of them and those before. */
  shows: boolean;
}

export function rasterSamples(
  work: FrameWork,
  stages: EyeStages,
  lens: Lens,
  onPicture: (samples: number) => void,
): SampleMethod {
  const { scene, settings, frame, team, clock, pattern } = work;
  const { width } = settings.render;
  const raster = work.rasterizer();
  const { tile, tiles, coverage } = raster;
  const sendersOf = createSenders(work, raster, stages.around);
  const shadingFor = createShading(work, raster, stages.around);
  const position = new Float64Array(2);
  let shading!: LookShading;
  let done = 0;
  let shown = 0;

  /** Makes all ready that depends on the place which is looked from. @returns false when cancelled */
  const lookFrom = (look: Look): boolean => {
    if (!stages.prepare(look)) return false;
    if (sendersOf && !sendersOf(look)) return false;
    // positions on soft lights overwrite what is sorted: there the picture is sorted in every round
    if (look.maps.soft.length === 0 && !raster.sortPicture(look.eye)) return false;
    shading = shadingFor(look);
    return true;
  };

  /** Depth, normals and objects as seen through the middle of a lens that is otherwise sampled all over. */
  const lookThroughMiddle = (): boolean =>
    team.share(
      tiles.length,
      clock.timed('geometry', (k) => {
        raster.draw(tiles[k], 0.5, 0.5);
        shading.clear();
        writeOverlaid(scene, tile, frame.overlaid, width, coverage);
        shading.shade({ number: 0, x: 0.5, y: 0.5, share: 1, opens: true, whole: null });
        clearSums(frame, tile, width, coverage);
      }),
    );

  /** @param aperture its place on the lens is the group's own */
  const drawGroup = (look: Look, { from, to, shows }: Group, aperture: Aperture | null): boolean => {
    const { soft, positions, slots } = look.maps;
    const rounds = roundsOf(look);
    for (let round = 0; round < rounds; round++) {
      const gather = shows && round === rounds - 1 ? lens.gather : null;
      const first = round * slots;
      const count = Math.min(slots, positions - first);
      const alone = to === 1 && rounds === 1 && !aperture && shading.compiled && gather;
      const whole = alone ? alone.whole() : null;
      if (soft.length > 0) {
        const lights = look.lit!.lightsAt({ first: (pattern.base + from) * positions + first, count });
        if (!lights || !raster.sortPicture(look.eye)) return false;
        shading.setLights(lights);
      }
      const drawSamples = (k: number): void => {
        for (let s = from; s < to; s++) {
          const { filter, filterRadius } = settings;
          const number = pattern.base + s;
          samplePosition(number, pattern.positions, filter, filterRadius, pattern.pixelSeed, position);
          const [x, y] = position;
          const t0 = clock.now();
          raster.draw(tiles[k], x, y);
          clock.book('geometry', t0);
          const t1 = clock.now();
          const opens = s === 0 && round === 0 && !aperture;
          if (opens) {
            shading.clear();
            writeOverlaid(scene, tile, frame.overlaid, width, coverage);
          }
          shading.shade({ number, x, y, share: count / positions, opens, whole });
          clock.book('samples', t1);
        }
        if (!whole) gather?.tile(tile, to);
      };
      if (!team.share(tiles.length, drawSamples, to - from)) return false;
    }
    return true;
  };

  return {
    draw(look) {
      if (look.instant === 0) team.announce(tiles.length * settings.samples * roundsOf(look));
      const { camera } = look.moment;
      const aperture = lensOf(camera);
      const soft = look.maps.soft.length > 0;
      if ((!aperture || look.instant === 0) && !lookFrom(look)) return false;
      if (aperture && look.instant === 0) {
        if (soft && !raster.sortPicture(look.eye)) return false;
        if (!lookThroughMiddle()) return false;
      }
      const last = (look.instant + 1) * settings.perInstant;
      while (done < last) {
        const due = samplesDue(shown);
        // positions on soft lights and on the lens change with every sample, so that all samples together cover them
        const to = Math.min(last, soft || aperture ? done + 1 : due);
        const shows = to === due || to === settings.samples;
        let from = look;
        if (aperture) {
          from = {
            ...look,
            eye: eyeOf(throughLens(camera, aperture, pattern.base + done, pattern.pixelSeed), settings),
          };
          if (!lookFrom(from)) return false;
        }
        if (!drawGroup(from, { from: done, to, shows }, aperture)) return false;
        done = to;
        if (!shows) continue;
        if (!lens.develop(to, to === settings.samples, lens.gather !== null)) return false;
        shown = to;
        if (team.leads) onPicture(to);
      }
      return true;
    },
    done: () => done,
  };
}

/** The camera as one sample sees through its lens. */
function throughLens(camera: CameraView, aperture: Aperture, sample: number, seed: number): CameraView {
  lensSample(aperture, sample, seed, onLens);
  return { ...camera, offset: [onLens[0], onLens[1]] };
}
const onLens = new Float64Array(2);
