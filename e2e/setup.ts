/** Starts the built application once for all browser tests, in a folder of its own. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TestProject } from 'vitest/node';
import { startProgram } from '@daxel/server/testing/harness';

declare module 'vitest' {
  export interface ProvidedContext {
    url: string;
  }
}

export default async function setup(project: TestProject): Promise<() => Promise<void>> {
  const data = mkdtempSync(join(tmpdir(), 'daxel-e2e-'));
  const { process: child, url } = await startProgram(data);
  project.provide('url', url);
  return async () => {
    const gone = new Promise((r) => child.once('exit', r));
    child.kill('SIGTERM');
    await gone;
    rmSync(data, { recursive: true, force: true });
  };
}
