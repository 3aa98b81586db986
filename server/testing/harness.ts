/** A server on a free port with an empty folder, and scenes to send to it. */
import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { z } from 'zod';
import type { TierValues } from '@daxel/core/recipe/recipe';
import * as schema from '@daxel/api/schemas';
import { addNode, cameraAt, DOWN, light, quad, sceneOf } from '@daxel/core/testing/scenes';
import { rotationOf } from '@daxel/core/scene/compileScene';
import type { SceneSource } from '@daxel/core/scene/source';
import { writeGlb } from '@daxel/formats/gltf/writeGlb';
import { BUILD } from '../entries';
import { serve, type RunningServer, type ServeOptions } from '../serve';

export function temporaryDir(): { path: string; remove: () => void } {
  const path = mkdtempSync(join(tmpdir(), 'daxel-test-'));
  return { path, remove: () => rmSync(path, { recursive: true, force: true }) };
}

/** The real program in a process of its own, so that it can be killed. @returns when it is ready */
export async function startProgram(dataDir: string): Promise<{ process: ChildProcess; url: string }> {
  const child = spawn(process.execPath, [join(BUILD, 'server', 'cli.js'), 'demo', '--port', '0', '--data', dataDir], {
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  const url = await new Promise<string>((resolve, reject) => {
    let text = '';
    child.stdout.on('data', (chunk: Buffer) => {
      text += chunk.toString();
      const found = /ready at (\S+)/.exec(text);
      if (found) resolve(found[1]);
    });
    child.once('exit', (code) => reject(new Error(`the program ended with ${code}: ${text}`)));
  });
  return { process: child, url };
}

export function startServer(dataDir: string, more: Partial<ServeOptions> = {}): Promise<RunningServer> {
  return serve({ port: 0, host: '127.0.0.1', dataDir, demo: false, uploadLimit: 32 * 2 ** 20, ...more });
}

/** A lit plate with a small one over it, and two cameras. */
export function smallScene(): SceneSource {
  const scene = sceneOf([quad(2), quad(0.4, 0.5)]);
  scene.lights = [light('sun', 4000, { castsShadow: true })];
  addNode(scene, { light: 0, rotation: DOWN });
  for (const [name, eye] of [
    ['front', [0, 1.6, 3]],
    ['side', [3, 1.2, 0.4]],
  ] as const) {
    const view = cameraAt([...eye], [0, 0.2, 0]);
    scene.cameras.push({ name, kind: 'perspective', yfovRad: 0.7, ymag: 1, near: 0.05 });
    addNode(scene, {
      name,
      camera: scene.cameras.length - 1,
      translation: [eye[0], eye[1], eye[2]],
      rotation: rotationOf(view.world),
    });
  }
  return scene;
}

export async function smallGlb(): Promise<Uint8Array> {
  return writeGlb(smallScene());
}

export async function writeSmallGlb(dir: string, name = 'small.glb'): Promise<string> {
  const path = join(dir, name);
  writeFileSync(path, await smallGlb());
  return path;
}

/** Requests to one server, with answers checked by their schemas. */
export class Client {
  constructor(readonly url: string) {}

  fetch(path: string, init?: RequestInit): Promise<Response> {
    return fetch(new URL(path, this.url), init);
  }

  async get<T>(type: z.ZodType<T>, path: string): Promise<T> {
    return type.parse(await (await this.fetch(path)).json());
  }

  async send(method: string, path: string, body?: unknown): Promise<Response> {
    return this.fetch(path, {
      method,
      headers: { 'Content-Type': 'application/json' },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
  }

  async import(bytes: Uint8Array, name = 'small.glb'): Promise<Response> {
    return this.fetch(`/api/projects?name=${encodeURIComponent(name)}`, {
      method: 'POST',
      body: bytes as Uint8Array<ArrayBuffer>,
    });
  }

  async project(): Promise<schema.Project> {
    return schema.project.parse(await (await this.import(await smallGlb())).json());
  }

  /** Makes the shot's Final tier small, so that a still takes a moment. */
  async makeSmall(shot: schema.Shot, samples = 2, more: TierValues = {}): Promise<schema.Shot> {
    const recipe = {
      ...shot.recipe,
      final: {
        ...shot.recipe.final,
        'output.width': 96,
        'output.height': 64,
        'samples.pixel': samples,
        'shadows.resolution': 256,
        ...more,
      },
    };
    const response = await this.send('PATCH', `/api/shots/${shot.id}`, { version: shot.version, recipe });
    return schema.shot.parse(await response.json());
  }

  async still(shotId: string, body: unknown = {}): Promise<schema.Still> {
    return schema.still.parse(await (await this.send('POST', `/api/shots/${shotId}/stills`, body)).json());
  }

  /** Waits until a still is in one of the states. */
  async until(id: string, states: schema.Still['state'][], ms = 40_000): Promise<schema.Still> {
    const end = Date.now() + ms;
    for (;;) {
      const still = await this.get(schema.still, `/api/stills/${id}`);
      if (states.includes(still.state)) return still;
      if (Date.now() > end) throw new Error(`still ${id} is ${still.state} after ${ms} ms`);
      await new Promise((r) => setTimeout(r, 60));
    }
  }
}

export async function problemOf(response: Response): Promise<{ status: number; code: string; message: string }> {
  const { error } = schema.problem.parse(await response.json());
  return { status: response.status, ...error };
}
