/** What runs inside the browser: the same scene by our render workers and by three's WebGL renderer. */
import {
  ACESFilmicToneMapping,
  AmbientLight,
  type DirectionalLight,
  PCFShadowMap,
  type PerspectiveCamera,
  WebGLRenderer,
} from 'three';
import { GLTFLoader } from 'three/examples/jsm/loaders/GLTFLoader.js';
import { RenderPool, type ThreadPort } from '@daxel/core/frame/renderPool';
import type { FromThread } from '@daxel/core/frame/threadProgram';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import { shotCamera } from '@daxel/core/scene/shotCamera';

interface Size {
  width: number;
  height: number;
}

const bytes = async (url: string): Promise<ArrayBuffer> => (await fetch(url)).arrayBuffer();

/** Milliseconds of each frame; the first ones are cold. */
async function ours(scenePath: string, size: Size, frames: number, threads: number): Promise<number[]> {
  const data = new Uint8Array(await bytes(scenePath));
  const buffer = new SharedArrayBuffer(data.length);
  new Uint8Array(buffer).set(data);
  const ports = Array.from({ length: threads }, (): ThreadPort => {
    const worker = new Worker(new URL('./worker.ts', import.meta.url), { type: 'module' });
    return {
      post: (m) => worker.postMessage(m),
      listen: (handler) => (worker.onmessage = (e: MessageEvent<FromThread>) => handler(e.data)),
      terminate: () => worker.terminate(),
    };
  });
  const pool = new RenderPool(ports);
  const scene = pool.setScene('s', buffer);
  const camera = shotCamera(scene, scene.meta.shots[0], 0);
  const times: number[] = [];
  for (let i = 0; i < frames; i++) {
    const recipe = {
      ...resolveRecipe({ name: 'bench', draft: {}, final: {} }, 'draft'),
      'output.width': size.width,
      'output.height': size.height,
      'samples.pixel': 1,
      'shadows.depthFormat': i % 2 === 0 ? '24' : '32',
      'lens.exposure': -13,
    };
    const start = performance.now();
    await pool.render({ sceneId: 's', recipe, camera, timeSeconds: 0, seed: 1 }).promise;
    times.push(performance.now() - start);
  }
  pool.terminate();
  return times;
}

async function threeWebGl(glbPath: string, size: Size, frames: number): Promise<number[]> {
  const gltf = await new GLTFLoader().parseAsync(await bytes(glbPath), '');
  const canvas = document.createElement('canvas');
  const renderer = new WebGLRenderer({ canvas, antialias: false, preserveDrawingBuffer: true });
  renderer.setSize(size.width, size.height, false);
  renderer.shadowMap.enabled = true;
  renderer.shadowMap.type = PCFShadowMap;
  renderer.toneMapping = ACESFilmicToneMapping;
  renderer.toneMappingExposure = 1e-4;
  gltf.scene.add(new AmbientLight(0xffffff, 300));
  let camera: PerspectiveCamera | null = null;
  gltf.scene.traverse((o) => {
    const mesh = o as { isMesh?: boolean; castShadow: boolean; receiveShadow: boolean };
    if (mesh.isMesh) mesh.castShadow = mesh.receiveShadow = true;
    const light = o as DirectionalLight;
    if (light.isDirectionalLight) {
      light.castShadow = true;
      light.shadow.mapSize.set(2048, 2048);
      Object.assign(light.shadow.camera, { left: -12, right: 12, top: 12, bottom: -12, near: -40, far: 40 });
      light.shadow.camera.updateProjectionMatrix();
    }
    if ((o as PerspectiveCamera).isPerspectiveCamera) camera = o as PerspectiveCamera;
  });
  if (!camera) throw new Error('the scene has no camera');
  const eye: PerspectiveCamera = camera;
  eye.aspect = size.width / size.height;
  eye.updateProjectionMatrix();
  const gl = renderer.getContext();
  const pixel = new Uint8Array(size.width * size.height * 4);
  const times: number[] = [];
  for (let i = 0; i < frames; i++) {
    const start = performance.now();
    renderer.shadowMap.needsUpdate = true;
    renderer.render(gltf.scene, eye);
    // a frame is there when its pixels can be read
    gl.readPixels(0, 0, size.width, size.height, gl.RGBA, gl.UNSIGNED_BYTE, pixel);
    times.push(performance.now() - start);
  }
  renderer.dispose();
  return times;
}

Object.assign(window, { daxelBench: { ours, threeWebGl } });
