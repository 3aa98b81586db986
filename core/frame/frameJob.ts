/** What threads are told of a frame, and what they tell of it. */
import type { Rect } from '../measure/rect';
import type { ViewMode } from '../shading/views';
import type { StageId } from '../recipe/settings';
import type { CameraView } from '../scene/camera';
import type { Lighting } from '../scene/source';
import type { Checkpoint } from '../trace/checkpoint';
import type { FrameSettings } from './frameSettings';

/** What is decided of a frame before anything is drawn: plain data, worked out once and handed to every thread. */
export interface PlannedFrame {
  sceneId: string;
  settings: FrameSettings;
  /** Seconds, in the order in which they are drawn. */
  instants: readonly number[];
  lighting: Lighting;
  /** An instrument instead of the picture. */
  view: ViewMode;
  /** Level of detail per instance, or null where all are full: see `chooseLevels`. */
  levels: Uint8Array | null;
  /** Names the triangles that are drawn. */
  detail: string;
  threads: number;
  /** No picture is wanted, but what frames read that is baked: see `bakeOrder`. */
  bakes: boolean;
}

/** How a frame is looked at, and what of it is wanted. */
export interface FrameWish {
  /** As it is at the frame's own instant. */
  camera: CameraView;
  timeSeconds: number;
  seed: number;
  /** The frame is one of a run that accumulates over time. */
  history?: FrameHistory;
  /** Parts of the picture that are wanted, pixels; the rest is left as it is. Absent for the whole picture. */
  regions?: readonly Rect[];
  /** Path tracing: seconds between checkpoints (0 for none). */
  checkpointSeconds?: number;
}

export interface FrameJob extends PlannedFrame, FrameWish {
  /** Path tracing: samples that stand in the memory already. */
  samplesBefore: number;
  /** The samples themselves stand: they are only developed. */
  keepSamples: boolean;
}

/** Ties a frame to those before it. Frames of one run are rendered in order, into the same memory. */
export interface FrameHistory {
  /** Any name; runs of other names keep memory of their own. */
  run: string;
  /** Counts the frames of the shot: each takes the next samples of the pattern. */
  frame: number;
  /** When and from where the geometry of the frame before was seen; null for the first one. */
  before: { timeSeconds: number; camera: CameraView } | null;
}

export interface FrameHooks {
  /** Milliseconds from any origin. */
  now: () => number;
  /** The leading thread calls this whenever a picture of so many samples a pixel stands in `display`. */
  onPicture?: (samples: number) => void;
  /** Any thread calls this with a copy from which a path-traced frame can go on. */
  onCheckpoint?: (checkpoint: Checkpoint) => void;
}

/** Seconds that each stage kept a thread busy, as a mean: wall time where all of them work all the time. */
export type StageSeconds = Record<StageId, number>;

export interface FrameOutcome {
  finished: boolean;
  samples: number;
  seconds: number;
  stages: StageSeconds;
  /** By stage of the frame, the key of what stands in its memory now; empty where nothing does. */
  stands: string[];
}
