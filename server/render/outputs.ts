/** A finished frame as files. */
import { deflateSync } from 'node:zlib';
import { MOTION, readLayers, type Layer } from '@daxel/core/frame/layers';
import { gatherBeauty, displayLinear, type DevelopInput } from '@daxel/core/frame/develop';
import { frameSettings } from '@daxel/core/frame/frameSettings';
import type { RenderedFrame } from '@daxel/core/frame/renderPool';
import { ditherNoise, fineCode } from '@daxel/core/film/tone';
import { exp2 } from '@daxel/core/math/exact';
import type { ResolvedRecipe } from '@daxel/core/recipe/recipe';
import { openShare } from '@daxel/core/frame/shutter';
import { rayFrame, type CameraView } from '@daxel/core/scene/camera';
import { layersToChannels } from '@daxel/formats/exr/layersToExr';
import { SHUTTER_ATTRIBUTE, shutterText } from '@daxel/formats/exr/shutterAttribute';
import { writeExr } from '@daxel/formats/exr/writeExr';
import { encodePng16, encodePng8 } from '@daxel/formats/png/displayPng';

export interface OutputInput {
  frame: RenderedFrame;
  recipe: ResolvedRecipe;
  camera: CameraView;
  layers: readonly string[];
  /** Gives the motion layer; absent where there is no next frame. */
  motion?: () => Float32Array;
  /** Frames a second of a run; absent of a picture by itself. */
  rate?: number;
}

export function frameLayers(input: OutputInput): Layer[] {
  const { frame, layers, recipe } = input;
  const motion = layers.includes(MOTION) && input.motion ? input.motion() : null;
  return readLayers(frame.views, frame.samples, frameSettings(recipe).exposureEv, layers, motion);
}

export function toExr(
  input: OutputInput,
  pixelType: 'half' | 'float',
  attributes: Record<string, string> = {},
): Uint8Array {
  const { width, height } = input.frame;
  return writeExr({
    width,
    height,
    channels: layersToChannels(frameLayers(input)),
    pixelType,
    deflate: (bytes) => deflateSync(bytes, { level: 4 }),
    attributes: { software: 'Daxel', ...shutterOf(input), ...attributes },
  });
}

function shutterOf({ camera, recipe, rate }: OutputInput): Record<string, string> {
  if (!camera.shutter || !rate) return {};
  const instants = recipe['samples.shutter'] as number;
  return { [SHUTTER_ATTRIBUTE]: shutterText({ instants, open: openShare(camera, rate) }) };
}

export function toPng8(input: OutputInput, text?: Record<string, string>): Uint8Array {
  return encodePng8(input.frame.views.display, input.frame.width, input.frame.height, text);
}

export function toPng16(input: OutputInput): Uint8Array {
  const { frame, recipe, camera } = input;
  const settings = frameSettings(recipe);
  const { width, height, views } = frame;
  const develop: DevelopInput = {
    width,
    height,
    sums: views.sums,
    scale: exp2(settings.exposureEv) / frame.samples,
    beauty: views.beauty,
    glow: views.glow,
    display: views.display,
    tone: settings.tone,
    bloom: settings.bloom,
    vignette: settings.vignette,
    dither: settings.dither,
    rays: rayFrame(camera, width, height),
  };
  gatherBeauty(develop, { x0: 0, y0: 0, x1: width, y1: height });
  const codes = new Uint16Array(width * height * 3);
  const rgb = new Float64Array(3);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      displayLinear(develop, x, y, rgb);
      for (let c = 0; c < 3; c++) {
        const noise = settings.dither ? (ditherNoise(i, c) + 0.5) / 256 : 0.5;
        codes[i * 3 + c] = Math.min(65535, Math.floor(fineCode(rgb[c]) + noise));
      }
    }
  }
  return encodePng16(codes, width, height);
}
