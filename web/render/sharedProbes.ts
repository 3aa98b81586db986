/** Probes that the server keeps: what a page or a render has baked once is not baked again. */
import { isWorthKeeping, packProbes, probeFileName, unpackProbes } from '@daxel/core/frame/probeFile';
import type { ProbeStore } from '@daxel/core/frame/probeStore';

/** What is asked of the server. */
export interface ProbeExchange {
  /** @returns null where it has none */
  fetch(name: string): Promise<Uint8Array | null>;
  send(name: string, bytes: Uint8Array): Promise<void>;
}

/** Whatever fails, they are baked: none of it is worth a word. */
export function sharedProbes({ fetch, send }: ProbeExchange): ProbeStore {
  return {
    async load(key) {
      if (!isWorthKeeping(key)) return null;
      const bytes = await fetch(probeFileName(key)).catch(() => null);
      const file = bytes && unpackProbes(bytes);
      return file?.key === key ? file.probes : null;
    },
    save(key, probes) {
      if (isWorthKeeping(key)) void send(probeFileName(key), packProbes(key, probes)).catch(() => undefined);
      return Promise.resolve();
    },
  };
}
