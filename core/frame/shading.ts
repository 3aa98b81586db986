/** What the samples of a rasterised frame are shaded with, from where they are looked at. */
import { askAround, type AroundClock } from '../around/askAround';
import type { OpenAround } from '../around/method';
import type { AroundView } from '../around/view';
import type { FrameLight } from '../light/frameLight';
import { length } from '../math/mat4';
import { canShade, ShadeKernel, type WholeSample } from '../shading/shadeKernel';
import { sendTile, type SentLight } from '../shading/sendTile';
import { shadeTile, type ShadeInput } from '../shading/shadeTile';
import type { PixelBox } from '../raster/tile';
import { useStrength, type EnvironmentUse } from '../light/surroundings/kind';
import { exp2 } from '../math/exact';
import { environmentRadiance, kindOf } from '../light/surroundings/kinds';
import type { FrameWork } from './frameWork';
import type { Eye, Look } from './look';
import { rayKinds } from './materialRules';
import type { Rasterizer } from './rasterizer';
import { tracedScene } from './stages/rays';
import { clearGeometry, clearSums } from './tileArrays';

export interface ShadedSample {
  /** Its number in the pattern. */
  number: number;
  /** Its place in the pixels. */
  x: number;
  y: number;
  /** Part of a whole sample that this is: lights are that much weaker. */
  share: number;
  /** It is the first of its tile, and writes depth, normals and objects as well. */
  opens: boolean;
  /** Where it goes at once, when it is all that the picture is of. */
  whole: WholeSample | null;
}

/** A part of what pixels send on. */
export interface SentPart {
  /** Of the sample in the pattern. */
  number: number;
  /** Of a whole sample: lights are that much weaker. */
  share: number;
  /** Nothing is there yet. */
  begins: boolean;
}

export interface LookShading {
  /** The compiled loops shade. */
  compiled: boolean;
  setLights(lights: readonly FrameLight[]): void;
  /** Shades what was drawn of a tile last. */
  shade(sample: ShadedSample): void;
  /** Works out what pixels send on: see `sendTile`. */
  send(box: PixelBox, part: SentPart, to: SentLight): void;
  /** Clears the tile for its first sample. */
  clear(): void;
}

/** Plan and lights of a look are its stages', its eye may be any place on the lens. */
export type ShadingFor = (look: Look) => LookShading;

/** @param clock what methods that are asked for light from around take is booked there */
export function createShading(
  work: FrameWork,
  raster: Rasterizer,
  methods: readonly OpenAround[],
  clock: AroundClock = work.clock,
): ShadingFor {
  const { scene, settings, lighting, view, picture, frame, memory, environment, shadows, pattern } = work;
  const { environment: around } = lighting;
  const { width } = settings.render;
  const strength = (use: EnvironmentUse): number => around.strength * useStrength(around, use);
  const seen = useStrength(around, 'camera');
  const mirror = useStrength(around, 'reflection');
  const background = seen > 0 ? environmentRadiance(around, picture, seen) : null;
  const gradient = seen > 0 ? kindOf(around).gradient(around, seen) : null;
  const sharp = picture && mirror > 0 ? environmentRadiance(around, picture, mirror) : null;
  const traced = work.rays.bvhOrder.length > 0 ? tracedScene(work, work.rays) : null;
  const rays = traced && { scene, casts: raster.casts, ...traced };
  const kinds = rayKinds(raster.casts);
  const asked = methods.length > 0 ? askAround(methods, clock) : null;

  const shownFrom = ({ rays: eye }: Eye): AroundView | null => {
    const method = methods.find((m) => m.shows?.includes(view));
    return method?.show?.({ rays: eye, exposure: exp2(settings.exposureEv), traced: rays }, view) ?? null;
  };
  const inputOf = ({ maps, eye, lit }: Look): ShadeInput => {
    const { readings } = lit!;
    const input: ShadeInput = {
      surface: raster.surface,
      lighting: {
        scene,
        lights: maps.lights,
        memory: shadows,
        readings,
        rays: settings.shadows.traced ? rays : null,
        positions: maps.softness.moving.length > 0 ? maps.softness.positions : 0,
        sample: 0,
        seed: pattern.seed,
        contact: null,
        around: asked,
        camera: eye.rays,
        bounce: strength('light') > 0 ? settings.bounce : 0,
        reflections: strength('reflection') > 0 ? settings.reflections : 0,
        environmentSh: environment.environmentSh,
        environmentMap: environment.environmentMap,
        sharp,
      },
      rays: eye.rays,
      width,
      background,
      gradient,
      sums: frame.sums,
      depth: frame.depth,
      normal: frame.normal,
      objectId: frame.objectId,
      view: null,
    };
    if (settings.contact.length > 0)
      input.lighting.contact = {
        ...{ depth: work.prepass.prepassDepth, width: eye.wide.width, height: eye.wide.height },
        ...{ matrix: eye.wide.toPixels, rays: eye.wide.rays },
        ...settings.contact,
      };
    if (view !== 'picture') {
      const parallel = !eye.rays.perspective;
      const pixelSize = length(eye.rays.right);
      input.view = {
        mode: view,
        lighting: input.lighting,
        levels: work.levels,
        rays,
        pixelSize,
        parallel,
        shown: shownFrom(eye),
      };
    }
    return input;
  };

  return (look) => {
    traced?.kernel?.bind(kinds);
    const input = inputOf(look);
    const { lights, soft, slots } = look.maps;
    const mostLights = lights.length + soft.length * slots;
    const shader = memory && canShade(input, mostLights) ? new ShadeKernel(memory, raster.shadeScratch, input) : null;
    const { tile, coverage } = raster;
    return {
      compiled: shader !== null,
      setLights(others) {
        input.lighting.lights = others;
        shader?.setLights();
      },
      shade({ number, x, y, share, opens, whole }) {
        input.lighting.sample = number;
        asked?.begin({ tile, number, width, x, y });
        if (shader) shader.shade(tile, x, y, share, opens, whole);
        else shadeTile(input, tile, x, y, share, opens);
      },
      send(box, { number, share, begins }, to) {
        input.lighting.sample = number;
        asked?.begin({ tile: box, number, width, x: 0.5, y: 0.5 });
        if (shader) shader.send(box, to, share, begins);
        else sendTile(input, box, to, share, begins);
      },
      clear() {
        // the compiled loops write all of it by themselves
        if (shader) return;
        clearSums(frame, tile, width, coverage);
        clearGeometry(frame, tile, width, coverage);
      },
    };
  };
}
