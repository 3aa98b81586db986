/** A render thread that is none: the frame runs on the caller's thread. For tests, benchmarks and single frames. */
import type { ThreadPort } from './renderPool';
import { createThreadProgram, type FromThread } from './threadProgram';

export function createLocalPort(now: () => number): ThreadPort {
  let handler: (m: FromThread) => void = () => undefined;
  const run = createThreadProgram((m) => handler(m), now);
  return {
    post: (m) => run(m),
    listen: (h) => {
      handler = h;
    },
    terminate: () => undefined,
  };
}
