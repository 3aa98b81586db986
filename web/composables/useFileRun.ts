/** A run of frames from files, rendered elsewhere: read one by one, played and measured as our own are. */
import { onUnmounted, ref } from 'vue';
import type { Lut } from '@daxel/core/film/lut';
import type { ToneCurve } from '@daxel/core/film/tone';
import { numberedFrames } from '@daxel/formats/image/numberedFrames';
import { filesIn } from './filesIn';
import type { FrameFile } from '../render/frameFileWorker';
import { readFrameFile } from '../render/frameReader';
import type { Picture } from '../render/preview';
import { emptyRun, useRuns, type Run } from '../stores/runs';
import { createWorker, LEAST_FRAMES, listenToMeter, type StabilityPort } from './useRun';

/** Of all pictures in memory together; those of later frames are read again when they are looked at. */
const MOST_BYTES = 900 * 2 ** 20;
/** Bytes of a picture's map of flicker, as a share of its own; all maps are held, in as much memory again. */
const MAP_SHARE = 1 / 64;
const IN_FILES = 'Measure longer ones with ./daxel measure stability, which needs no more memory for more frames.';

export interface FileRunOrder {
  /** The shot they are looked at with, its rate, and the tone curve that EXR files are seen through. */
  shotId: string;
  rate: number;
  tone: ToneCurve;
  /** Table through which they are measured as well. */
  grade?: Lut | null;
}

function isFrameFile(name: string): boolean {
  return /\.(exr|png)$/i.test(name);
}

/** @param orderOf what they are looked at with; null while none can be taken */
export function useFileRun(
  orderOf: () => FileRunOrder | null,
  createPort: () => StabilityPort = createWorker,
  read: (file: FrameFile) => Promise<Picture> = readFrameFile,
) {
  const runs = useRuns();
  const progress = ref<{ done: number; all: number } | null>(null);
  const failure = ref<string | null>(null);
  let cancelled = false;

  async function open(files: readonly File[]): Promise<void> {
    const order = progress.value || files.length === 0 ? null : orderOf();
    if (!order) return;
    const { shotId, rate, tone, grade } = order;
    failure.value = null;
    cancelled = false;
    let port: StabilityPort | null = null;
    let run: Run | null = null;
    const change = (more: Partial<Run>): void => {
      if (run) runs.put((run = { ...run, ...more }));
    };
    try {
      const pictures = files.filter((f) => isFrameFile(f.name));
      const { pattern, frames } = numberedFrames(pictures.map((f) => f.name));
      const byName = new Map(pictures.map((f) => [f.name, f]));
      const all = frames.length;
      if (all < LEAST_FRAMES)
        throw new Error(`Flicker needs at least ${LEAST_FRAMES} frames; there ${all === 1 ? 'is one' : `are ${all}`}.`);
      const [first, last] = [frames[0].number, frames[all - 1].number];
      progress.value = { done: 0, all };
      runs.turn(shotId);
      const fileOf = async ({ number, name }: { number: number; name: string }): Promise<FrameFile> => {
        const file = byName.get(name)!;
        const bytes = await file.arrayBuffer().catch(() => {
          throw new Error(`${name} cannot be read any more: open the frames again.`);
        });
        return { number, name, bytes: new Uint8Array(bytes), tone };
      };
      const again = async (index: number): Promise<Picture> => read(await fileOf(frames[index]));
      const known = { shotId, name: pattern, tier: 'final', first, last, rate } as const;
      run = emptyRun({ ...known, order: null, patches: [], again }, grade);
      change({});
      port = createPort();
      let arrived: (picture: Picture) => void = () => undefined;
      const measured = listenToMeter(
        port,
        () => run!,
        change,
        ({ width, height, codes }) => arrived({ width, height, codes, samples: 0, coarse: false }),
      );
      port.post({ type: 'start-files', grade: grade ?? null });
      for (const frame of frames) {
        const file = await fileOf(frame);
        const next = new Promise<Picture>((resolve) => (arrived = resolve));
        port.post({ type: 'file', ...file });
        // one at a time: what waits would have to be held
        const picture = await Promise.race([next, measured.then(() => null)]);
        if (cancelled || !picture) break;
        const bytes = picture.codes.length;
        const most = Math.floor(MOST_BYTES / (bytes * MAP_SHARE));
        if (all > most)
          throw new Error(
            `${all} frames of ${picture.width}×${picture.height} are too many for a page: at most ${most} can be measured here. ${IN_FILES}`,
          );
        // the newest is held until the next one is there: it is shown
        const held = Math.floor(MOST_BYTES / bytes);
        change({ pictures: [...run.pictures.map((p, n) => (n < held ? p : null)), picture] });
        progress.value = { done: run.pictures.length, all };
      }
      change({ state: 'measuring' });
      if (run.pictures.length >= LEAST_FRAMES) {
        port.post({ type: 'end' });
        await measured;
      }
      const whole = run.pictures.length === all;
      change({ state: whole ? 'done' : 'cancelled' });
      if (whole) void runs.shelve(run).catch(() => undefined);
    } catch (error) {
      failure.value = (error as Error).message;
      change({ state: 'cancelled' });
    } finally {
      port?.terminate();
      progress.value = null;
    }
  }
  function cancel(): void {
    cancelled = true;
  }
  /** Files of an input. */
  function choose(event: Event): void {
    const input = event.target as HTMLInputElement;
    const files = [...(input.files ?? [])];
    input.value = '';
    void open(files);
  }
  /** Frames dropped, or a folder of them; anything else is left to who takes scenes. */
  async function drop(event: DragEvent): Promise<void> {
    const entries = [...(event.dataTransfer?.items ?? [])].map((i) => i.webkitGetAsEntry());
    const loose = [...(event.dataTransfer?.files ?? [])];
    const folder = entries.length === 1 && entries[0]?.isDirectory ? entries[0] : null;
    if (!folder && !loose.some((f) => isFrameFile(f.name))) return;
    event.preventDefault();
    event.stopPropagation();
    await open(folder ? await filesIn(folder as FileSystemDirectoryEntry) : loose);
  }
  onUnmounted(cancel);
  return { progress, failure, open, choose, drop, cancel };
}
