/** Every body, answer and event of the HTTP interface. Times are ISO 8601, lengths metres, angles radians. */
import { z } from 'zod';
import { rig } from '@daxel/core/light/rig';
import { checkValue } from '@daxel/core/recipe/recipe';
import { cameraPath } from '@daxel/core/scene/cameraPath';
import { MOST_HANDLES } from '@daxel/core/scene/shotTiming';
import { shotTake } from '@daxel/core/scene/take';
import { tokenProblem } from './fileNaming';

const finite = z.number();
export const id = z.uuid();

const tierValues = z
  .record(z.string().max(80), z.union([finite, z.string().max(40), z.boolean()]))
  .superRefine((values, context) => {
    for (const [setting, value] of Object.entries(values)) {
      try {
        checkValue(setting, value);
      } catch (error) {
        context.addIssue({ code: 'custom', path: [setting], message: (error as Error).message });
      }
    }
  });

export const recipe = z.strictObject({
  name: z.string().min(1).max(120),
  draft: tierValues,
  final: tierValues,
});

/** A named rectangle; all in shares of the picture, from its top left corner. */
export const patch = z.strictObject({
  id: z.string().min(1).max(40),
  name: z.string().trim().min(1, 'a patch needs a name').max(60),
  x: finite.min(0).max(1),
  y: finite.min(0).max(1),
  width: finite.positive().max(1),
  height: finite.positive().max(1),
});
export type Patch = z.infer<typeof patch>;

export const camera = z.strictObject({
  world: z.array(finite.min(-1e7).max(1e7)).length(16),
  lens: z.strictObject({
    kind: z.enum(['perspective', 'orthographic']),
    yfovRad: finite.min(0.001).max(3.1),
    ymag: finite.positive().max(1e6),
    near: finite.positive().max(1e5),
  }),
  aperture: z
    .strictObject({
      radius: finite.min(0).max(100),
      focus: finite.min(0.001).max(1e6),
      blades: z.int().min(0).max(16),
    })
    .optional(),
  /** Seconds from the frame's instant. */
  shutter: z.strictObject({ opens: finite.min(-10).max(10), closes: finite.min(-10).max(10) }).optional(),
  /** Node of the scene that carries it while the shutter is open. */
  ride: z.int().min(0).max(1e6).optional(),
  take: shotTake.optional(),
  path: cameraPath.optional(),
});
export type CameraState = z.infer<typeof camera>;

export const MOST_RIGS = 12;
export const storedRig = rig.extend({ id: z.string().min(1).max(40) });
export type StoredRig = z.infer<typeof storedRig>;

export const optics = z.strictObject({
  shutterAngleDeg: finite.min(0, 'the shutter angle is from 0 to 360').max(360, 'the shutter angle is from 0 to 360'),
  shutterPhase: z.enum(['opens', 'centred', 'closes']),
  focalLength: finite.min(1).max(2000).nullable(),
  fNumber: finite.min(0.1).max(1000).nullable(),
  focusDistance: finite.min(0.001).max(1e6),
  focusOn: z
    .strictObject({ node: z.int().min(0), name: z.string().max(200), point: z.tuple([finite, finite, finite]) })
    .nullable()
    .optional(),
  blades: z.int().min(0).max(16),
});

export const shot = z.object({
  id,
  sceneId: id,
  name: z.string(),
  firstFrame: z.int(),
  lastFrame: z.int(),
  rate: finite,
  /** Frames beyond the cut that are rendered at each end. */
  handles: z.int(),
  frame: z.int(),
  seed: z.int(),
  recipe,
  patches: z.array(patch),
  /** Complete lightings; a shot without any shows the scene's own light. */
  rigs: z.array(storedRig),
  /** The rig the shot is shown and rendered in. */
  rigId: z.string().nullable(),
  /** Shutter and focus; null for those of the scene's file. */
  optics: optics.nullable(),
  /** What is random in it; null for what the scene's file says. */
  take: shotTake.nullable(),
  /** Where its camera goes; null for where it goes in the scene's file. */
  path: cameraPath.nullable(),
  /** Grows with every change; a change must name the version it was made from. */
  version: z.int(),
  /** Address of a small picture, or null. */
  thumbnail: z.string().nullable(),
  hint: z.string().nullable(),
});
export type Shot = z.infer<typeof shot>;

/** As the database keeps it. */
const int32 = z
  .int()
  .min(-(2 ** 31))
  .max(2 ** 31 - 1);
const frameNumber = z.int().min(-100_000).max(100_000);

export const shotChange = z.strictObject({
  version: int32,
  recipe: recipe.optional(),
  patches: z.array(patch).max(24, 'a shot holds at most 24 patches').optional(),
  rigs: z.array(storedRig).max(MOST_RIGS, `a shot holds at most ${MOST_RIGS} rigs`).optional(),
  rigId: z.string().max(40).nullable().optional(),
  optics: optics.nullable().optional(),
  take: shotTake.nullable().optional(),
  path: cameraPath.nullable().optional(),
  frame: int32.optional(),
  firstFrame: frameNumber.optional(),
  lastFrame: frameNumber.optional(),
  rate: finite.min(1, 'the rate is from 1 to 240 a second').max(240, 'the rate is from 1 to 240 a second').optional(),
  handles: z.int().min(0).max(MOST_HANDLES, `handles have at most ${MOST_HANDLES} frames`).optional(),
});
export type ShotChange = z.infer<typeof shotChange>;

export const sceneCounts = z.object({
  triangles: z.int(),
  vertices: z.int(),
  objects: z.int(),
  materials: z.int(),
  textures: z.int(),
  textureBytes: z.int(),
  lights: z.int(),
});

export const scene = z.object({
  id,
  name: z.string(),
  counts: sceneCounts,
  warnings: z.array(z.string()),
  compiledBytes: z.int(),
  compiledHash: z.string(),
});
export type Scene = z.infer<typeof scene>;

export const project = z.object({
  id,
  name: z.string(),
  source: z.enum(['demo', 'file']),
  createdAt: z.string(),
  scenes: z.array(scene),
  shots: z.array(shot),
});
export type Project = z.infer<typeof project>;

export const projectChange = z.strictObject({ name: z.string().trim().min(1, 'a project needs a name').max(120) });

export const stillRequest = z.strictObject({
  tier: z.enum(['draft', 'final']).default('final'),
  /** The shot's own camera when absent. */
  camera: camera.optional(),
});
export type StillRequest = z.infer<typeof stillRequest>;

export const stageFigures = z.record(z.string(), z.object({ seconds: finite, bytes: finite }));
export const STILL_FILES = ['png8', 'png16', 'exr-half', 'exr-float'] as const;
export const stillFileKind = z.enum(STILL_FILES);
export type StillFileKind = z.infer<typeof stillFileKind>;

export const still = z.object({
  id,
  shotId: id,
  projectId: id,
  projectName: z.string(),
  shotName: z.string(),
  state: z.enum(['queued', 'running', 'done', 'failed', 'cancelled']),
  tier: z.enum(['draft', 'final']),
  freeView: z.boolean(),
  camera,
  frame: z.int(),
  width: z.int(),
  height: z.int(),
  samples: z.int(),
  recipe,
  recipeHash: z.string(),
  /** The rig it was rendered in, null for the scene's own light. */
  rig: rig.nullable(),
  createdAt: z.string(),
  startedAt: z.string().nullable(),
  finishedAt: z.string().nullable(),
  /** 0…1 */
  progress: finite,
  /** Estimated from the work done so far; null until there is enough of it. */
  secondsLeft: finite.nullable(),
  /** Picture versions seen so far while it forms; the address of the forming picture changes with it. */
  formed: z.int(),
  message: z.string().nullable(),
  stages: stageFigures.nullable(),
  seconds: finite.nullable(),
  beautyHash: z.string().nullable(),
  files: z.array(z.object({ kind: stillFileKind, bytes: z.int() })),
});
export type Still = z.infer<typeof still>;

export const MOST_SEQUENCE_FRAMES = 20_000;
/** Frames of a shot that are rendered out. A PNG of 8 bits is always made beside what is asked for: it is what is looked at. */
export const sequenceRequest = z
  .strictObject({
    tier: z.enum(['draft', 'final']).default('final'),
    first: int32,
    last: int32,
    forms: z.array(stillFileKind).max(STILL_FILES.length).default(['exr-half']),
    /** File names without their ending: see `frameName`. */
    naming: z
      .string()
      .trim()
      .max(80)
      .regex(/^[^/\\:*?"<>|#]*#+[^/\\:*?"<>|#]*$/, 'a name needs one row of # for the frame number, and no slashes')
      .refine((naming) => tokenProblem(naming) === '', { error: ({ input }) => tokenProblem(String(input)) })
      .default('{shot}.####'),
  })
  .refine((r) => r.last >= r.first, 'the last frame comes before the first')
  .refine(
    (r) => r.last - r.first < MOST_SEQUENCE_FRAMES,
    `at most ${MOST_SEQUENCE_FRAMES} frames are rendered out at once`,
  );
export type SequenceRequest = z.infer<typeof sequenceRequest>;

export const sequence = z.object({
  id,
  shotId: id,
  projectName: z.string(),
  shotName: z.string(),
  state: z.enum(['queued', 'running', 'paused', 'done', 'failed', 'cancelled']),
  request: sequenceRequest,
  recipe,
  recipeHash: z.string(),
  rig: rig.nullable(),
  /** How often frames of the shot had been rendered out, this time included. */
  version: z.int(),
  /** Frames a second. */
  rate: finite,
  width: z.int(),
  height: z.int(),
  samples: z.int(),
  createdAt: z.string(),
  finishedAt: z.string().nullable(),
  message: z.string().nullable(),
  /** A letter a frame: `.` missing, `+` finished, `!` finished and something is wrong with it. */
  map: z.string(),
  /** Of the frame that is being rendered, 0…1. */
  progress: finite,
  /** Pictures of it seen so far while it forms; the address of the forming picture changes with it. */
  formed: z.int(),
  /** From what its frames took so far; null before the first. */
  secondsLeft: finite.nullable(),
  /** Of all finished frames together. */
  seconds: finite,
  files: z.array(z.object({ kind: stillFileKind, bytes: z.number() })),
});
export type Sequence = z.infer<typeof sequence>;

export const sequenceFrame = z.object({
  frame: z.int(),
  seconds: finite,
  beautyHash: z.string(),
  /** Mean luminance as exposed, 1 is white. */
  mean: finite,
  /** What is wrong with it, a phrase each. */
  faults: z.array(z.string()),
});
export type SequenceFrame = z.infer<typeof sequenceFrame>;

const settingValue = z.union([finite, z.string().max(40), z.boolean()]);
const wedgeAxis = z.strictObject({ id: z.string().max(80), values: z.array(settingValue).min(1).max(100) });
/** What the steps are measured against: a still, a path-traced picture made for it, or the step with the most of everything. */
const wedgeReference = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('still'), stillId: id }),
  z.strictObject({ kind: z.literal('path'), samples: z.int().min(1).max(4096) }),
  z.strictObject({ kind: z.literal('last') }),
]);
export const wedgeRequest = z.strictObject({
  kind: z.enum(['wedge', 'sensitivity']).default('wedge'),
  tier: z.enum(['draft', 'final']).default('draft'),
  name: z.string().trim().min(1).max(80),
  /** Empty for a sensitivity run, which chooses its own steps. */
  axes: z.array(wedgeAxis).max(2).default([]),
  /** Both settings are stepped together: first with first, second with second. */
  pairs: z.boolean().default(false),
  reference: wedgeReference.default({ kind: 'last' }),
  /** Render the patches alone. */
  patchesOnly: z.boolean().default(false),
  /** Render the two frames before and after each step as well and measure its flicker. */
  flicker: z.boolean().default(false),
});
export type WedgeRequest = z.infer<typeof wedgeRequest>;

const stepFigures = z.object({ flip: finite, ssim: finite, rmse: finite, meanStops: finite, floor: finite });
export const wedgeStep = z.object({
  values: z.record(z.string(), settingValue),
  label: z.string(),
  seconds: finite.nullable(),
  /** Of a notch: what the recipe as it is took right before and after it, since machines are not equally fast all the time. */
  besideSeconds: finite.nullable().default(null),
  /** Of a notch: whether these two differ; `unsure` when not by more than the machine varies. */
  time: z.enum(['same', 'differs', 'unsure']).nullable().default(null),
  stages: stageFigures.nullable(),
  samples: z.int().nullable(),
  /** For the whole picture (unless only patches were rendered) and then for each patch. */
  figures: z.array(stepFigures).nullable(),
  /** Comb of the motion blur of the whole picture, as a share of the light around it; null where there is none to measure. */
  stepping: finite.nullable().default(null),
  /** As `figures`, 1 is just noticed; null for a place that could not be measured, and where it was not asked for. */
  flicker: z.array(finite.nullable()).nullable().default(null),
  /** The picture can be had. */
  picture: z.boolean(),
});
export type WedgeStepResult = z.infer<typeof wedgeStep>;

export const wedge = z.object({
  id,
  shotId: id,
  state: z.enum(['queued', 'running', 'done', 'failed', 'cancelled']),
  request: wedgeRequest,
  recipe,
  patches: z.array(patch),
  /** What was made as the reference, null until it is there. */
  reference: z.object({ label: z.string(), seconds: finite.nullable(), noise: finite.nullable() }).nullable(),
  steps: z.array(wedgeStep),
  /** Of the step that is being rendered, 0…1. */
  progress: finite,
  message: z.string().nullable(),
  createdAt: z.string(),
  finishedAt: z.string().nullable(),
});
export type Wedge = z.infer<typeof wedge>;

const triple = z.tuple([finite, finite, finite]);
/** An environment picture that was brought in, and a sun that stands out of it. */
export const environmentFile = z.object({
  hash: z.string(),
  name: z.string(),
  width: z.int(),
  height: z.int(),
  /** What was repaired. */
  notes: z.array(z.string()),
  sun: z
    .object({
      towards: triple,
      illuminance: triple,
      angularDiameterDeg: finite,
      cut: z.object({ direction: triple, radiusRad: finite, level: triple }),
    })
    .nullable(),
});
export type EnvironmentFile = z.infer<typeof environmentFile>;

/** `new`: nothing holds it yet; `deleted`: it can be brought back; `unused`: nothing holds it. */
export const storageKind = z.enum([
  'scenes',
  'surroundings',
  'stills',
  'sequences',
  'wedges',
  'thumbnails',
  'baked',
  'new',
  'deleted',
  'unused',
  'database',
  'dumps',
]);
export type StorageKind = z.infer<typeof storageKind>;
export const storage = z.object({
  kinds: z.array(z.object({ kind: storageKind, bytes: z.number(), files: z.int() })),
  /** Bytes that can be let go of. */
  free: z.number(),
});
export type Storage = z.infer<typeof storage>;

export const problem = z.object({ error: z.object({ code: z.string(), message: z.string() }) });

/** How far an import is: of `of` parts of a step `done` are done. */
export const importProgress = z.object({
  step: z.enum(['reading', 'meshes', 'pictures', 'keeping', 'drawing']),
  done: z.number().int().min(0),
  of: z.number().int().min(0),
});
export type ImportProgress = z.infer<typeof importProgress>;
/** `upload`: who sends a file names it, to know what is told of it. */
export const uploadQuery = z.object({ upload: id.optional() });

/** `hello` starts a stream whose past is unknown: load everything again. */
export const serverEvent = z.discriminatedUnion('type', [
  z.object({ type: z.literal('hello') }),
  z.object({ type: z.literal('still'), still }),
  z.object({ type: z.literal('still-gone'), id }),
  z.object({ type: z.literal('wedge'), wedge }),
  z.object({ type: z.literal('wedge-gone'), id }),
  z.object({ type: z.literal('sequence'), sequence }),
  z.object({ type: z.literal('sequence-gone'), id }),
  z.object({ type: z.literal('projects') }),
  z.object({ type: z.literal('import'), upload: id, progress: importProgress }),
]);
export type ServerEvent = z.infer<typeof serverEvent>;
