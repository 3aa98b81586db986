/** The resolved recipe as the stages read it: typed, in their own units. */
import type { FilterName } from '../film/pixelFilter';
import type { ToneCurve } from '../film/tone';
import type { ResolvedRecipe } from '../recipe/recipe';
import type { ShadowOptions } from '../shadows/frameLights';

export interface FrameSettings {
  width: number;
  height: number;
  samples: number;
  filter: FilterName;
  filterRadius: number;
  glassLayers: number;
  textureBias: number;
  steady: boolean;
  shadows: ShadowOptions;
  taps: number;
  shadowRadius: number;
  slopeBias: number;
  normalOffset: number;
  bounce: number;
  reflections: number;
  exposureEv: number;
  tone: ToneCurve;
  bloom: number;
  vignette: number;
  dither: boolean;
}

export function frameSettings(recipe: ResolvedRecipe): FrameSettings {
  const number = (id: string): number => recipe[id] as number;
  const format = recipe['shadows.depthFormat'];
  return {
    width: number('output.width'),
    height: number('output.height'),
    samples: number('samples.pixel'),
    filter: recipe['samples.filter'] as FilterName,
    filterRadius: number('samples.radius'),
    glassLayers: number('geometry.glassLayers'),
    textureBias: number('geometry.textureBias'),
    steady: recipe['reflections.steady'] === true,
    shadows: {
      resolution: number('shadows.resolution'),
      localResolution: number('shadows.localResolution'),
      distance: number('shadows.distance'),
      depthCodes: format === '16' ? 65535 : format === '24' ? 16777215 : 0,
    },
    taps: recipe['shadows.filter'] === 'hard' ? 1 : number('shadows.taps'),
    shadowRadius: number('shadows.radius'),
    slopeBias: number('shadows.slopeBias'),
    normalOffset: number('shadows.normalOffset'),
    bounce: number('bounce.environment'),
    reflections: number('reflections.environment'),
    exposureEv: number('lens.exposure'),
    tone: recipe['lens.tone'] as ToneCurve,
    bloom: number('lens.bloom') / 100,
    vignette: number('lens.vignette') / 100,
    dither: recipe['output.dither'] === true,
  };
}
