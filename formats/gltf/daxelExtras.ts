/** What Daxel adds to glTF under `extras.daxel`; described in docs/file-format.md. */
import { z } from 'zod';
import { surroundingsInFile } from '@daxel/core/light/surroundings/kinds';
import { cameraPath } from '@daxel/core/scene/cameraPath';
import { shotTake } from '@daxel/core/scene/take';

const finite = z.number().refine(Number.isFinite);
const rgb = z.tuple([finite, finite, finite]);
export const shotExtras = z.object({
  name: z.string().min(1).max(120),
  camera: z.string(),
  frames: z
    .tuple([z.number().int().min(-1_000_000), z.number().int().max(1_000_000)])
    .refine(([first, last]) => last >= first, 'the last frame comes before the first'),
  rate: finite.min(1).max(240).default(24),
  seed: z.number().int().min(0).default(1),
  shutterAngleDeg: finite.min(0).max(360).optional(),
  shutterPhase: z.enum(['opens', 'centred', 'closes']).optional(),
  focalLength: finite.min(1).max(2000).optional(),
  fNumber: finite.min(0.1).max(1000).optional(),
  focusDistance: finite.min(0.001).max(1e6).optional(),
  blades: z.number().int().min(0).max(16).optional(),
  take: shotTake.optional(),
  path: cameraPath.optional(),
});

export const sceneExtras = z.object({
  environment: surroundingsInFile.optional(),
  shots: z.array(shotExtras).max(1000).optional(),
});

export const areaLightExtras = z.object({
  shape: z.enum(['rectangle', 'square', 'disc', 'ellipse']).default('rectangle'),
  width: finite.min(0),
  height: finite.min(0).optional(),
  luminance: finite,
  color: rgb.default([1, 1, 1]),
  twoSided: z.boolean().default(false),
});

export const portalExtras = z.object({ width: finite.min(0), height: finite.min(0).optional() });

export const swayExtras = z.object({ angleDeg: finite.min(0).max(45), hertz: finite.min(0.01).max(60) });
export const sparksExtras = z.object({
  perSecond: finite.min(0.1).max(10_000),
  life: finite.min(0.01).max(60),
  speed: finite.min(0).max(1000),
  spreadDeg: finite.min(0).max(85).default(20),
  gravity: finite.min(-100).max(100).default(9.81),
  size: finite.min(1e-5).max(10).default(0.003),
  radiance: rgb,
});

export const nodeExtras = z.object({
  sway: swayExtras.optional(),
  sparks: sparksExtras.optional(),
  drawClass: z.enum(['large', 'medium', 'small', 'foliage']).optional(),
  portal: portalExtras.optional(),
  areaLight: areaLightExtras.optional(),
  radius: finite.min(0).optional(),
  angularDiameterDeg: finite.min(0).max(180).optional(),
  castsShadow: z.boolean().optional(),
});

/** Keys that are understood somewhere; others are reported once. */
export const KNOWN_NODE_KEYS = [
  'areaLight',
  'portal',
  'sway',
  'sparks',
  'drawClass',
  'radius',
  'angularDiameterDeg',
  'castsShadow',
];
export const KNOWN_SCENE_KEYS = ['environment', 'shots'];
/** Keys of the format that this version reads but does not render yet. */
export const LATER_KEYS = ['medium'];
