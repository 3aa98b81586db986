/** A movie for review from finished frames: VP9 in WebM, encoded by the browser. */
import {
  BufferTarget,
  canEncodeVideo,
  Output,
  QUALITY_VERY_HIGH,
  VideoSample,
  VideoSampleSource,
  WebMOutputFormat,
  type VideoCodec,
} from 'mediabunny';

export interface MovieOrder {
  /** Addresses of the pictures in order. */
  pictures: readonly string[];
  /** Pictures a second. */
  rate: number;
  width: number;
  height: number;
  signal: AbortSignal;
  onProgress: (done: number) => void;
}

const CODECS: readonly VideoCodec[] = ['vp9', 'vp8', 'av1'];
/** Every so many seconds a picture stands for itself, so that stepping through is quick. */
const KEY_SECONDS = 1;

/** @throws Error when the browser cannot encode, a picture does not arrive, or the signal says so */
export async function makeMovie(order: MovieOrder): Promise<Blob> {
  const { pictures, rate, width, height, signal, onProgress } = order;
  const codec = await firstCodec(width, height);
  if (!codec) throw new Error('This browser cannot encode movies. Download the frames as a ZIP file instead.');
  const target = new BufferTarget();
  const output = new Output({ format: new WebMOutputFormat(), target });
  const source = new VideoSampleSource({ codec, bitrate: QUALITY_VERY_HIGH, keyFrameInterval: KEY_SECONDS });
  output.addVideoTrack(source, { frameRate: rate });
  try {
    await output.start();
    for (const [n, address] of pictures.entries()) {
      const response = await fetch(address, { signal });
      if (!response.ok) throw new Error(`Picture ${n + 1} did not arrive (${response.status}).`);
      const bitmap = await createImageBitmap(await response.blob());
      const sample = new VideoSample(bitmap, { timestamp: n / rate, duration: 1 / rate });
      // waits while the encoder has enough to do
      await source.add(sample);
      sample.close();
      bitmap.close();
      signal.throwIfAborted();
      onProgress(n + 1);
    }
    await output.finalize();
  } catch (error) {
    await output.cancel().catch(() => undefined);
    throw error;
  }
  if (!target.buffer) throw new Error('The movie could not be put together.');
  return new Blob([target.buffer], { type: 'video/webm' });
}

async function firstCodec(width: number, height: number): Promise<VideoCodec | null> {
  for (const codec of CODECS) if (await canEncodeVideo(codec, { width, height })) return codec;
  return null;
}
