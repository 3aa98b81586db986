/** The stability of frames that come one by one, with a motion layer or without. */
import { BadInputError } from '../../errors';
import { displayLuminance, type MeasuredImage } from '../imageError';
import { measureStepping, type SteppingFigures } from '../stepping';
import { displayCandela } from './flicker';
import { estimateFlow, type Flow } from './flow/flow';
import { flowPicture, type FlowPicture } from './flow/flowPicture';
import { withSlope } from './frameLayers';
import { BLAME_STEP } from './runBlame';
import { StabilityMeter, type FrameStability, type StabilityReport } from './meter';
import type { SpawnHelper } from './rowHelper';
import { verdictOf, type Verdict } from './verdict';
import type { MeterFrame } from './window';

export interface SequenceReport extends StabilityReport {
  verdict: Verdict;
  /** Where the vectors come from: a layer of the frames, or our own flow. */
  motionSource: 'layer' | 'flow';
  /** Worst stepping of motion blur among the frames; null where none is, or the frames do not say their shutter. */
  stepping: (SteppingFigures & { frame: number }) | null;
  /** What should be known of these figures, a sentence each. */
  notes: string[];
}

export interface SequenceOptions {
  pixelsPerDegree?: number;
  /** See `MeterOptions`. */
  spawn?: SpawnHelper;
  onFrame?: (found: FrameStability) => void;
  /** Gets the stepping of each frame that says its shutter and leaves trails. */
  onStepping?: (frame: number, found: SteppingFigures) => void;
  /** Gets each frame's map of visibility, 1 is just noticed, and what belongs to it, see `StabilityMeter`; before `onFrame`. */
  onMap?: (frame: number, map: Float32Array, valid: Float32Array, moving: Uint8Array) => void;
}

/** Vectors that explain less than standing still does belong to other frames, or are of another scale. */
const MISFIT = 1.1;
/** Pixels that move less say nothing of that. */
const MOVING = 0.5;
/** Display light from which on more of it is hardly seen, and the share of such pixels from which on that is said. */
const BURNT = 0.99;
const MUCH_BURNT = 0.2;
/** Every so many pixels are looked at for that. A prime, so that no column is left out. */
const BURNT_STEP = 13;

/** Takes frames in order; holds six of them at most. */
export class SequenceMeter {
  private meter: StabilityMeter | null = null;
  private last: { frame: MeterFrame; image: MeasuredImage } | null = null;
  private source: 'layer' | 'flow' = 'layer';
  private flow: { picture: FlowPicture; blocks: Flow['blocks'] | null } | null = null;
  private followed = 0;
  private flows = 0;
  private unlike = 0;
  private unlikeStill = 0;
  private lost = 0;
  private vectors = 0;
  private burnt = 0;
  private looked = 0;
  private stepping: SequenceReport['stepping'] = null;

  constructor(private readonly options: SequenceOptions = {}) {}

  /**
   * @param number of the frame
   * @throws BadInputError when it is of another size than those before it
   */
  add(image: MeasuredImage, number: number): void {
    const { width, height } = image;
    this.meter ??= this.begin(width, height);
    const { last } = this;
    if (last && (last.image.width !== width || last.image.height !== height))
      throw new BadInputError(
        `${image.name} is ${width}×${height}, the frames before it are ${last.image.width}×${last.image.height}: all must be of one size.`,
      );
    if (!last && !image.motion) this.source = 'flow';
    const motion = this.source === 'layer' ? (image.motion ?? null) : null;
    if (this.source === 'layer' && !motion)
      throw new BadInputError(`${image.name} has no motion layer, the frames before it have: render it with them.`);
    const shown = image.shown ?? displayLuminance(image);
    for (let i = 0; i < shown.length; i += BURNT_STEP) {
      this.looked++;
      if (shown[i] >= BURNT) this.burnt++;
    }
    const layers = image.light && withSlope(image.light, image, shown, BLAME_STEP);
    const frame = { number, luminance: shown, motion, ids: image.ids ?? null, layers };
    this.lookForStepping(image, frame.luminance, number);
    if (last) this.pass(last.frame, frame, width, height);
    // of the picture itself only the size is needed from now on
    this.last = {
      frame,
      image: {
        ...image,
        rgb: new Float32Array(0),
        shown: undefined,
        motion: undefined,
        ids: undefined,
        light: undefined,
      },
    };
  }

  private lookForStepping(
    { width, height, motion, shutter }: MeasuredImage,
    luminance: Float32Array,
    frame: number,
  ): void {
    if (!motion || !shutter) return;
    const found = measureStepping({ width, height, luminance, motion, ...shutter });
    if (!found) return;
    this.options.onStepping?.(frame, found);
    if (!this.stepping || found.contrast > this.stepping.contrast) this.stepping = { ...found, frame };
  }

  private begin(width: number, height: number): StabilityMeter {
    const { pixelsPerDegree, spawn, onMap } = this.options;
    const meter = new StabilityMeter({ width, height, pixelsPerDegree, spawn });
    if (onMap) meter.onMap = ({ frame }, ...rest) => onMap(frame, ...rest);
    return meter;
  }

  /** @throws BadInputError when there were too few frames */
  report(): SequenceReport {
    const { last } = this;
    if (!last || !this.meter) throw new BadInputError('There are no frames.');
    this.take({ ...last.frame, unsure: this.source === 'flow' ? null : undefined });
    const rest = this.meter.end();
    if (rest) this.options.onFrame?.(rest);
    const report = this.meter.report();
    this.last = null;
    return {
      ...report,
      verdict: verdictOf(report),
      motionSource: this.source,
      stepping: this.stepping,
      notes: this.notes(report),
    };
  }

  /** A frame whose next one is known. */
  private pass(frame: MeterFrame, next: MeterFrame, width: number, height: number): void {
    if (this.source === 'layer') {
      this.compare(frame, next, width, height);
      return this.take(frame);
    }
    const pictureOf = (f: MeterFrame): FlowPicture => flowPicture(displayCandela(f.luminance), width, height);
    const before = this.flow?.picture ?? pictureOf(frame);
    const after = pictureOf(next);
    const { motion, unsure, blocks, followed } = estimateFlow(before, after, this.flow?.blocks ?? null);
    this.flow = { picture: after, blocks };
    this.followed += followed;
    this.flows++;
    const moves = motion.some((v) => v !== 0);
    this.take({ ...frame, motion: moves ? motion : null, unsure });
  }

  private take(frame: MeterFrame): void {
    const found = this.meter!.add(frame);
    if (found) this.options.onFrame?.(found);
  }

  /** How well the vectors explain what changes, against standing still. */
  private compare(
    { luminance: a, motion }: MeterFrame,
    { luminance: b }: MeterFrame,
    width: number,
    height: number,
  ): void {
    if (!motion) return;
    for (let y = 1; y < height; y += 3)
      for (let x = 1; x < width; x += 3) {
        const i = y * width + x;
        const [dx, dy] = [motion[i * 2], motion[i * 2 + 1]];
        this.vectors++;
        if (!Number.isFinite(dx) || !Number.isFinite(dy)) this.lost++;
        if (!(Math.abs(dx) + Math.abs(dy) > MOVING)) continue;
        const [tx, ty] = [Math.round(x + dx), Math.round(y + dy)];
        if (!(tx >= 0 && ty >= 0 && tx < width && ty < height)) continue;
        this.unlike += Math.abs(b[ty * width + tx] - a[i]);
        this.unlikeStill += Math.abs(b[i] - a[i]);
      }
  }

  private notes(report: StabilityReport): string[] {
    const percent = (share: number): string => `${Math.round(share * 100)} %`;
    const notes: string[] = [];
    if (report.coverage < 0.995)
      notes.push(
        `${percent(report.coverage)} of the picture was measured; the rest was hidden, too near the border or lost.`,
      );
    if (this.burnt > MUCH_BURNT * this.looked)
      notes.push(
        `${percent(this.burnt / this.looked)} of the picture is as bright as the display can show: what flickers there is not seen. Was it rendered with its exposure?`,
      );
    if (this.lost > this.vectors * 0.001)
      notes.push(
        `${percent(this.lost / this.vectors)} of the motion vectors are not numbers, as behind moving glass: what they belong to is not measured.`,
      );
    if (this.unlike > MISFIT * this.unlikeStill && this.unlikeStill > 0)
      notes.push(
        'The motion vectors explain the frames worse than none would: are they pixels to the next frame, right and down?',
      );
    if (this.source === 'flow')
      notes.push(
        `There is no motion layer: motion was found in the frames themselves; ${percent(this.followed / Math.max(1, this.flows))} of the picture has enough texture for that, the rest is taken to move as the whole does.`,
      );
    return notes;
  }
}
