/** Reads frames from files for the eye, on a thread of its own that lives as long as the page. */
import type { FrameFile, ReadFrame } from './frameFileWorker';
import type { Picture } from './preview';

interface Waiting {
  resolve: (picture: Picture) => void;
  reject: (error: Error) => void;
}

let worker: Worker | null = null;
/** Answers come in the order of the questions. */
const waiting: Waiting[] = [];

function start(): Worker {
  const thread = new Worker(new URL('./frameFileWorker.ts', import.meta.url), { type: 'module' });
  thread.onmessage = ({ data }: MessageEvent<ReadFrame>) => {
    const next = waiting.shift();
    if ('failed' in data) return next?.reject(new Error(data.failed));
    const { image, codes } = data;
    next?.resolve({ width: image.width, height: image.height, codes, samples: 0, coarse: false });
  };
  thread.onerror = (event) => {
    worker = null;
    for (const w of waiting.splice(0)) w.reject(new Error(event.message));
  };
  return thread;
}

/** @throws Error when the file cannot be read, with its name */
export function readFrameFile(file: FrameFile): Promise<Picture> {
  return new Promise((resolve, reject) => {
    worker ??= start();
    waiting.push({ resolve, reject });
    worker.postMessage(file, [file.bytes.buffer]);
  });
}
