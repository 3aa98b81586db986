/** Starts the built application once for all browser tests, in a folder of its own. */
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TestProject } from 'vitest/node';

declare module 'vitest' {
  export interface ProvidedContext {
    url: string;
  }
}

export default async function setup(project: TestProject): Promise<() => Promise<void>> {
  const data = mkdtempSync(join(tmpdir(), 'daxel-e2e-'));
  const cli = join(import.meta.dirname, '..', 'build', 'server', 'cli.js');
  const child = spawn(process.execPath, [cli, 'demo', '--port', '0', '--data', data], {
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const url = await new Promise<string>((resolve, reject) => {
    let text = '';
    child.stdout.on('data', (chunk: Buffer) => {
      text += chunk.toString();
      const found = /ready at (\S+)/.exec(text);
      if (found) resolve(found[1]);
    });
    child.once('exit', (code) => reject(new Error(`the application ended with ${code}: ${text}`)));
  });
  project.provide('url', url);
  return async () => {
    const gone = new Promise((r) => child.once('exit', r));
    child.kill('SIGTERM');
    await gone;
    rmSync(data, { recursive: true, force: true });
  };
}
