/** What the artist should know of a frame, a sentence each. */
import type { OcclusionOptions } from '../around/occlusion/stage';
import type { BakedProbes } from '../around/probes/figures';
import type { VoxelFigures } from '../around/voxels/figures';
import { HIDDEN, trianglesAt } from '../scene/detail';
import type { CompiledScene } from '../scene/compiled';
import type { PathFigures } from '../trace/pathFigures';
import type { FramePlan } from './planFrame';

export interface NotedFrame {
  scene: CompiledScene;
  plan: FramePlan;
  /** Null where it is rasterised. */
  path: PathFigures | null;
  /** See `shareBeyond`. */
  beyond: number;
  /** Null where none are asked. */
  probes: BakedProbes | null;
  voxels: VoxelFigures | null;
  /** It is no frame of a run. */
  alone: boolean;
}

export function frameNotes({ scene, plan, path, beyond, alone, probes, voxels }: NotedFrame): string[] {
  const { maps } = plan;
  const { settings, levels } = plan.frame;
  return [
    ...(path ? pathNotes(path) : beyondNotes(maps.sunEnd, beyond)),
    ...(settings.history && alone
      ? ['A single frame: temporal accumulation is seen in runs and finished frames only.']
      : []),
    ...(levels ? detailNotes(scene, levels) : []),
    ...(probes ? [...probeNotes(probes), ...darkTwice(plan, apartOf(probes), 'probes stand')] : []),
    ...(voxels ? [...voxelNotes(voxels), ...darkTwice(plan, 2 * voxels.side, 'voxels tell apart what lies')] : []),
  ];
}

/** What a path-traced picture says of itself. */
function pathNotes({ noise, clamped }: PathFigures): string[] {
  const percent = (x: number): string => `${Number((x * 100).toPrecision(2))} %`;
  const notes = [`Noise left: ${percent(noise)} of the light, as a mean over the picture.`];
  if (clamped > 0.0005) notes.push(`The firefly clamp took ${percent(clamped)} of the light.`);
  return notes;
}

/** Says which probes stand badly, and whether what they know is of another time. */
function probeNotes({ count, moved, buried, behind, timeSeconds }: BakedProbes): string[] {
  const of = (n: number, what: string): string[] => (n > 0 ? [`${n.toLocaleString('en')} ${what}`] : []);
  const badly = [...of(moved, 'moved off walls'), ...of(buried, 'inside walls, where their neighbours answer')];
  return [
    ...(badly.length > 0 ? [`Of ${count.toLocaleString('en')} probes ${badly.join(', ')}.`] : []),
    ...(behind
      ? [
          `Probes hold the light of the scene as it stands at ${timeSeconds} s: things stand elsewhere here. bounce.probeFollow bakes them for every frame.`,
        ]
      : []),
  ];
}

/** Occlusion reaches into what methods tell apart themselves from so many of their spacings on. */
const KNOWN = 0.75;

const apartOf = ({ boxes }: BakedProbes): number => Math.max(...boxes.flatMap(({ step }) => step));
const metres = (x: number): number => Number(x.toPrecision(2));

/** Says where ambient occlusion keeps out what another method knows to be kept out. @param apart metres */
function darkTwice({ stages }: FramePlan, apart: number, others: string): string[] {
  const occlusion = stages.find((s) => s.name === 'occlusion')?.options as OcclusionOptions | null | undefined;
  if (!occlusion || occlusion.strength === 0 || occlusion.radius <= KNOWN * apart) return [];
  return [
    `Ambient occlusion looks ${metres(occlusion.radius)} m far, and ${others} ${metres(apart)} m apart: both darken the same corners. Set bounce.occlusionRadius to ${metres(apart / 2)} or less.`,
  ];
}

/** Says how much of what is seen the voxels know nothing of. */
function voxelNotes({ outside, whole }: VoxelFigures): string[] {
  // what a box that fits the scene leaves out is far larger than all that stands in it
  if (whole || !isWorthSaying(outside)) return [];
  return [
    `${Math.max(1, Math.round(100 * outside))} % of what asks for bounced light lies outside the box of voxels: the surroundings answer there, as if nothing stood in their way. Make the box larger by bounce.voxelSize, or let it fill the scene by bounce.voxelBox.`,
  ];
}

/** Says how much of the scene is drawn, where that is not all. */
function detailNotes(scene: CompiledScene, levels: Uint8Array): string[] {
  const all = scene.triangleMaterial.length;
  let drawn = 0;
  let coarse = 0;
  let hidden = 0;
  levels.forEach((level, i) => {
    drawn += trianglesAt(scene, i, level);
    if (level === HIDDEN) hidden++;
    else if (level > 0) coarse++;
  });
  if (drawn === all && hidden === 0) return [];
  const count = (n: number): string => n.toLocaleString('en');
  const objects = (n: number): string => `${count(n)} ${n === 1 ? 'object' : 'objects'}`;
  const simplified = coarse > 0 ? ` ${objects(coarse)} simplified.` : '';
  const left = hidden > 0 ? ` ${objects(hidden)} beyond their draw distance.` : '';
  return [`${count(drawn)} of ${count(all)} triangles drawn.${simplified}${left}`];
}

/** Every so many pixels are looked at: a share in percent needs no more. A prime, so that no column is left out. */
const BEYOND_STEP = 7;

/** Share of the picture that is said. */
const WORTH_SAYING = 0.005;

/** Share of what a picture shows that lies beyond the reach of a sun's maps. */
export function shareBeyond(end: number, depth: Float32Array): number {
  if (end === Infinity) return 0;
  let [beyond, looked] = [0, 0];
  for (let i = 0; i < depth.length; i += BEYOND_STEP) {
    looked++;
    if (depth[i] > end) beyond++;
  }
  return beyond / looked;
}

export function isWorthSaying(share: number): boolean {
  return share >= WORTH_SAYING;
}

function beyondNotes(end: number, share: number): string[] {
  if (!isWorthSaying(share)) return [];
  return [`Sun shadows end ${end} m from the camera: ${Math.round(100 * share)} % of the picture lies beyond.`];
}
