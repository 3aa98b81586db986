/** The resolved recipe as the stages read it: typed, in their own units. */
import type { FilterName } from '../film/pixelFilter';
import type { ToneCurve } from '../film/tone';
import type { ViewMode } from '../shading/views';
import { isPathTraced } from '../recipe/pathSettings';
import { totalSamples, type ResolvedRecipe } from '../recipe/recipe';
import type { DetailOptions } from '../scene/detail';
import type { ShadowFilter } from '../scene/source';
import type { ShadowOptions } from '../shadows/planShadows';
import type { ShadowReading } from '../shadows/shadowAt';

/** What the path tracer reads beyond that; see `core/recipe/pathSettings`. */
export interface PathOptions {
  bounces: number;
  matte: number;
  gloss: number;
  through: number;
  roulette: number;
  /** Times display white; 0 for none. */
  clamp: number;
  caustics: boolean;
  /** Relative error at which blocks stop; 0 for never. */
  errorTarget: number;
  minimum: number;
  denoise: boolean;
  denoiseStrength: number;
}

export interface HistoryOptions {
  /** Frames. */
  length: number;
  clip: number;
  sharp: boolean;
  leadIn: number;
}

export interface WideSize {
  margin: number;
  width: number;
  height: number;
}

export interface FrameSettings {
  /** Path traced with these, or null for rasterised. */
  path: PathOptions | null;
  /** Samples lie elsewhere at every frame. */
  movingPattern: boolean;
  /** Of the picture that comes out. */
  width: number;
  height: number;
  /** Size at which it is computed. */
  render: { width: number; height: number };
  /** What methods that look at neighbours see of it: that, with a margin on every side, pixels. */
  wide: WideSize;
  /** In all: those of an instant times the instants. */
  samples: number;
  perInstant: number;
  /** Instants of the open shutter. */
  shutter: number;
  /** Null without temporal accumulation. */
  history: HistoryOptions | null;
  filter: FilterName;
  filterRadius: number;
  glassLayers: number;
  /** Null where all triangles are drawn. */
  detail: DetailOptions | null;
  textureBias: number;
  steady: boolean;
  shadows: ShadowOptions;
  reading: ShadowReading;
  /** Glass colours the light that passes it; otherwise it casts nothing. */
  glassShadows: boolean;
  /** Metres; no contact shadows when the length is 0. */
  contact: { length: number; thickness: number; steps: number };
  bounce: number;
  reflections: number;
  exposureEv: number;
  tone: ToneCurve;
  bloom: number;
  vignette: number;
  dither: boolean;
}

/** @param view instruments of the rasteriser are drawn by it whatever the method */
export function frameSettings(recipe: ResolvedRecipe, view: ViewMode = 'picture'): FrameSettings {
  const number = (id: string): number => recipe[id] as number;
  const format = recipe['shadows.depthFormat'];
  const traced = isPathTraced(recipe) && (view === 'picture' || view === 'noise');
  const [width, height] = [number('output.width'), number('output.height')];
  const instrument = view !== 'picture';
  const scaled = (pixels: number): number => Math.max(1, Math.round((pixels * number('samples.scale')) / 100));
  const render = { width: scaled(width), height: scaled(height) };
  // in fours, so that methods take the same pixels of the picture with it as without
  const margin = traced ? 0 : 4 * Math.round((render.width * number('output.overscan')) / 400);
  return {
    path: traced ? pathOptions(recipe) : null,
    movingPattern: recipe['samples.pattern'] === 'moving',
    width,
    height,
    render,
    wide: { margin, width: render.width + 2 * margin, height: render.height + 2 * margin },
    samples: totalSamples(recipe),
    perInstant: number('samples.pixel'),
    shutter: number('samples.shutter'),
    history: instrument ? null : historyOptions(recipe),
    filter: recipe['samples.filter'] as FilterName,
    filterRadius: number('samples.radius'),
    glassLayers: number('geometry.glassLayers'),
    detail: detailOptions(recipe),
    textureBias: number('geometry.textureBias'),
    steady: recipe['reflections.steady'] === true,
    shadows: {
      // a path-traced frame draws no maps
      traced: traced || recipe['shadows.method'] === 'traced',
      lightSamples: number('shadows.lightSamples'),
      automatic: {
        edgeNoise: number('shadows.edgeNoise') / 100,
        samples: totalSamples(recipe),
        height: scaled(height),
      },
      mayEstimate: recipe['shadows.filter'] === 'pcf' || recipe['shadows.filter'] === 'soft',
      resolution: number('shadows.resolution'),
      localResolution: number('shadows.localResolution'),
      distance: number('shadows.distance'),
      start: number('shadows.start'),
      cascades: number('shadows.cascades'),
      split: number('shadows.split') / 100,
      blend: number('shadows.cascadeBlend') / 100,
      depthCodes: format === '16' ? 65535 : format === '24' ? 16777215 : 0,
    },
    reading: {
      filter: recipe['shadows.filter'] as ShadowFilter,
      taps: number('shadows.taps'),
      radius: number('shadows.radius'),
      automatic: recipe['shadows.autoBias'] === true,
      slopeBias: number('shadows.slopeBias'),
      normalOffset: number('shadows.normalOffset'),
      leak: number('shadows.leakReduction') / 100,
      blend: number('shadows.cascadeBlend') / 100,
    },
    glassShadows: recipe['shadows.glass'] === true,
    contact: {
      length: number('shadows.contactLength'),
      thickness: number('shadows.contactThickness'),
      steps: number('shadows.contactSteps'),
    },
    bounce: number('bounce.environment'),
    reflections: number('reflections.environment'),
    exposureEv: number('lens.exposure'),
    tone: recipe['lens.tone'] as ToneCurve,
    bloom: number('lens.bloom') / 100,
    vignette: number('lens.vignette') / 100,
    dither: recipe['output.dither'] === true,
  };
}

/** Null when the recipe accumulates nothing. */
export function historyOptions(recipe: ResolvedRecipe): HistoryOptions | null {
  const length = recipe['samples.history'] as number;
  if (!(length > 1)) return null;
  return {
    length,
    clip: recipe['samples.historyClip'] as number,
    sharp: recipe['samples.historySharp'] === true,
    leadIn: recipe['samples.leadIn'] as number,
  };
}

function detailOptions(recipe: ResolvedRecipe): DetailOptions | null {
  const fullFrom = recipe['geometry.levels'] === true ? (recipe['geometry.fullFrom'] as number) / 100 : 0;
  const reach = (id: string): number => (recipe[id] as number) || Infinity;
  const options = {
    fullFrom,
    reach: {
      large: reach('geometry.drawLarge'),
      medium: reach('geometry.drawMedium'),
      small: reach('geometry.drawSmall'),
      foliage: reach('geometry.drawFoliage'),
      glowing: Infinity,
    },
  };
  return fullFrom > 0 || Object.values(options.reach).some((r) => r < Infinity) ? options : null;
}

/** What paths go by, whichever method follows them. */
export function pathOptions(recipe: ResolvedRecipe): PathOptions {
  const number = (id: string): number => recipe[id] as number;
  return {
    bounces: number('bounce.total'),
    matte: number('bounce.matte'),
    gloss: number('reflections.bounces'),
    through: number('reflections.through'),
    roulette: number('bounce.roulette'),
    clamp: number('bounce.clamp'),
    caustics: recipe['bounce.caustics'] === true,
    errorTarget: number('samples.errorTarget') / 100,
    minimum: number('samples.minimum'),
    denoise: recipe['samples.denoise'] === 'spatial',
    denoiseStrength: number('samples.denoiseStrength'),
  };
}
