/** The movie of one sequence: made when asked for, kept while it is looked at. */
import { onUnmounted, ref, watch, type Ref } from 'vue';
import type { Sequence } from '@daxel/api/schemas';
import { api } from '../api/client';

export interface Movie {
  url: string;
  bytes: number;
  /** How many frames are in it, and the first of them. */
  frames: number;
  first: number;
}

export function useMovie(sequence: Ref<Sequence | null>) {
  const movie = ref<Movie | null>(null);
  const progress = ref<{ done: number; all: number } | null>(null);
  const failure = ref<string | null>(null);
  let making: AbortController | null = null;

  function forget(): void {
    making?.abort();
    making = null;
    progress.value = null;
    failure.value = null;
    if (movie.value) URL.revokeObjectURL(movie.value.url);
    movie.value = null;
  }
  watch(() => sequence.value?.id, forget);
  onUnmounted(forget);

  /** Of the finished frames, which may have gaps: those are left out. */
  async function make(): Promise<void> {
    const s = sequence.value;
    if (!s || progress.value) return;
    forget();
    const numbers = [...s.map].flatMap((letter, i) => (letter === '.' ? [] : [s.request.first + i]));
    const own = (making = new AbortController());
    progress.value = { done: 0, all: numbers.length };
    try {
      // the encoder's library is fetched only by who makes a movie
      const { makeMovie } = await import('./makeMovie');
      const blob = await makeMovie({
        pictures: numbers.map((n) => api.sequenceFrame(s.id, n, 'png8')),
        rate: s.rate,
        width: s.width,
        height: s.height,
        signal: own.signal,
        onProgress: (done) => {
          if (making === own) progress.value = { done, all: numbers.length };
        },
      });
      if (making !== own) return;
      movie.value = { url: URL.createObjectURL(blob), bytes: blob.size, frames: numbers.length, first: numbers[0] };
    } catch (error) {
      if (making === own && !own.signal.aborted) failure.value = (error as Error).message;
    } finally {
      if (making === own) {
        making = null;
        progress.value = null;
      }
    }
  }
  return { movie, progress, failure, make, cancel: forget };
}
