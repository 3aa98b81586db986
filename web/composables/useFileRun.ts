/** A run of frames from files, rendered elsewhere: read one by one, played and measured as our own are. */
import { onUnmounted, ref } from 'vue';
import type { ToneCurve } from '@daxel/core/film/tone';
import { numberedFrames } from '@daxel/formats/image/numberedFrames';
import { filesIn } from './filesIn';
import type { Picture } from '../render/preview';
import { useRuns, type Run } from '../stores/runs';
import { createWorker, LEAST_FRAMES, listenToMeter, MOST_FRAMES, type StabilityPort } from './useRun';

/** Of all pictures in memory together. */
const MOST_BYTES = 900 * 2 ** 20;
const IN_FILES = 'Measure longer ones with ./daxel measure stability, which needs no more memory for more frames.';

export interface FileRunOrder {
  /** The shot they are looked at with, its rate, and the tone curve that EXR files are seen through. */
  shotId: string;
  rate: number;
  tone: ToneCurve;
}

function isFrameFile(name: string): boolean {
  return /\.(exr|png)$/i.test(name);
}

/** @param orderOf what they are looked at with; null while none can be taken */
export function useFileRun(orderOf: () => FileRunOrder | null, createPort: () => StabilityPort = createWorker) {
  const runs = useRuns();
  const progress = ref<{ done: number; all: number } | null>(null);
  const failure = ref<string | null>(null);
  let cancelled = false;

  async function open(files: readonly File[]): Promise<void> {
    const order = progress.value || files.length === 0 ? null : orderOf();
    if (!order) return;
    const { shotId, rate, tone } = order;
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
      if (all > MOST_FRAMES) throw new Error(`At most ${MOST_FRAMES} frames are held here. ${IN_FILES}`);
      const [first, last] = [frames[0].number, frames[all - 1].number];
      progress.value = { done: 0, all };
      runs.turn(shotId);
      const from = { shotId, name: pattern, tier: 'final' as const, first, last, rate, order: null };
      run = {
        ...from,
        state: 'rendering',
        pictures: [],
        found: {},
        maps: {},
        stepping: {},
        histories: [],
        report: null,
        seconds: 0,
      };
      change({});
      port = createPort();
      let arrived: (picture: Picture) => void = () => undefined;
      const measured = listenToMeter(
        port,
        () => run!,
        change,
        ({ width, height, codes }) => arrived({ width, height, codes, samples: 0, coarse: false }),
      );
      port.post({ type: 'start-files' });
      for (const { number, name } of frames) {
        const bytes = new Uint8Array(await byName.get(name)!.arrayBuffer());
        const next = new Promise<Picture>((resolve) => (arrived = resolve));
        port.post({ type: 'file', number, name, bytes, tone });
        // one at a time: what waits would have to be held
        const picture = await Promise.race([next, measured.then(() => null)]);
        if (cancelled || !picture) break;
        if (picture.codes.length * all > MOST_BYTES)
          throw new Error(
            `${all} frames of ${picture.width}×${picture.height} do not fit: at most ${Math.floor(MOST_BYTES / picture.codes.length)} are held here. ${IN_FILES}`,
          );
        change({ pictures: [...run.pictures, picture] });
        progress.value = { done: run.pictures.length, all };
      }
      change({ state: 'measuring' });
      if (run.pictures.length >= LEAST_FRAMES) {
        port.post({ type: 'end' });
        await measured;
      }
      change({ state: run.pictures.length === all ? 'done' : 'cancelled' });
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
