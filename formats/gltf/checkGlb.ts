/**
 * First look at a .glb before any of it is believed: frame, sizes and counts, so that a broken or hostile file is
 * refused with one line instead of exhausting memory (glTF 2.0 specification, section 4 and 5).
 */
import { BadFileError } from '@daxel/core/errors';
import { z } from 'zod';

const MAX_ELEMENTS = 60_000_000;
const MAX_UNPACKED = 2 ** 30;
const COMPONENTS: Record<string, number> = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4, MAT2: 4, MAT3: 9, MAT4: 16 };
const BYTES: Record<number, number> = { 5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4 };

const count = z.number().int().min(0);
const shape = z.object({
  asset: z.object({ version: z.string() }),
  buffers: z
    .array(z.object({ byteLength: count, uri: z.string().optional(), extensions: z.unknown().optional() }))
    .optional(),
  bufferViews: z
    .array(
      z.object({
        buffer: count,
        byteOffset: count.optional(),
        byteLength: count,
        byteStride: count.optional(),
        extensions: z.unknown().optional(),
      }),
    )
    .optional(),
  accessors: z
    .array(
      z.object({
        bufferView: count.optional(),
        byteOffset: count.optional(),
        componentType: z.number(),
        count,
        type: z.string(),
        sparse: z.unknown().optional(),
      }),
    )
    .optional(),
  nodes: z.array(z.object({ children: z.array(count).optional() })).optional(),
  images: z.array(z.object({ uri: z.string().optional() })).optional(),
  extensionsRequired: z.array(z.string()).optional(),
});

/** @throws BadFileError with what is wrong and what to do */
export function checkGlb(bytes: Uint8Array, file: string): void {
  const bad = (problem: string, remedy = 'Export the scene again as .glb.'): never => {
    throw new BadFileError(file, problem, remedy);
  };
  if (bytes.length === 0) bad('the file is empty');
  if (bytes.length < 20) bad(`the file has ${bytes.length} bytes, too few for a .glb`);
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (view.getUint32(0, true) !== 0x46546c67) {
    const isJson = bytes[0] === 0x7b;
    bad(
      isJson ? 'this is a .gltf text file' : 'this is not a .glb file',
      'Export the scene as binary glTF (.glb), with textures inside.',
    );
  }
  if (view.getUint32(4, true) !== 2)
    bad(`glTF version ${view.getUint32(4, true)} is not supported`, 'Export glTF 2.0.');
  const declared = view.getUint32(8, true);
  if (declared > bytes.length) bad(`the file is cut short: ${bytes.length} of ${declared} bytes`, 'Copy it again.');
  const jsonLength = view.getUint32(12, true);
  if (view.getUint32(16, true) !== 0x4e4f534a || 20 + jsonLength > bytes.length) bad('its first part is not JSON');
  let json: unknown;
  try {
    json = JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + jsonLength)));
  } catch {
    bad('its JSON part is damaged');
  }
  const parsed = shape.safeParse(json);
  if (!parsed.success) {
    const issue = parsed.error.issues[0];
    return bad(`${issue.path.join('.') || 'JSON'}: ${issue.message}`);
  }
  checkContents(parsed.data, bytes.length, bad);
}

function checkContents(
  gltf: z.infer<typeof shape>,
  fileBytes: number,
  bad: (problem: string, remedy?: string) => never,
): void {
  const external = [...(gltf.buffers ?? []), ...(gltf.images ?? [])].find((b) => b.uri && !b.uri.startsWith('data:'));
  if (external)
    bad(`it refers to another file, "${external.uri?.slice(0, 80)}"`, 'Export with everything inside one .glb.');
  if (!gltf.asset.version.startsWith('2'))
    bad(`glTF version ${gltf.asset.version} is not supported`, 'Export glTF 2.0.');
  (gltf.buffers ?? []).forEach((b, i) => {
    // a buffer that only stands for compressed data holds no bytes of its own (EXT_meshopt_compression, fallback)
    const stands = i > 0 && b.extensions !== undefined;
    if (stands && b.byteLength > MAX_UNPACKED)
      bad(`buffer ${i} unpacks to more than a gigabyte`, 'Reduce or split the scene.');
    if (!stands && b.uri === undefined && b.byteLength > fileBytes) bad(`buffer ${i} is longer than the file`);
  });
  (gltf.bufferViews ?? []).forEach((v, i) => {
    const buffer = gltf.buffers?.[v.buffer];
    if (!buffer) return bad(`bufferView ${i} asks for buffer ${v.buffer}, which does not exist`);
    if (v.extensions === undefined && (v.byteOffset ?? 0) + v.byteLength > buffer.byteLength)
      bad(`bufferView ${i} reaches beyond its buffer`);
  });
  let elements = 0;
  (gltf.accessors ?? []).forEach((a, i) => {
    const components = COMPONENTS[a.type] ?? bad(`accessor ${i} has the unknown type "${a.type.slice(0, 20)}"`);
    const size = BYTES[a.componentType] ?? bad(`accessor ${i} has the unknown component type ${a.componentType}`);
    elements += a.count * components;
    if (elements > MAX_ELEMENTS) bad('it holds more than 60 million numbers', 'Reduce or split the scene.');
    if (a.bufferView === undefined) return;
    const v = gltf.bufferViews?.[a.bufferView];
    if (!v) return bad(`accessor ${i} asks for bufferView ${a.bufferView}, which does not exist`);
    const stride = v.byteStride || components * size;
    const end = (a.byteOffset ?? 0) + (a.count - 1) * stride + components * size;
    if (v.extensions === undefined && a.count > 0 && end > v.byteLength)
      bad(`accessor ${i} reaches beyond its bufferView`);
  });
  checkTree(gltf.nodes ?? [], bad);
}

function checkTree(nodes: { children?: number[] }[], bad: (problem: string) => never): void {
  if (nodes.length > 200_000) bad('it has more than 200 000 nodes');
  const parent = nodes.map(() => -1);
  nodes.forEach((n, i) => {
    for (const c of n.children ?? []) {
      if (c >= nodes.length) bad(`node ${i} has the child ${c}, which does not exist`);
      if (parent[c] !== -1) bad(`node ${c} has two parents, ${parent[c]} and ${i}`);
      parent[c] = i;
    }
  });
  nodes.forEach((_, i) => {
    let steps = 0;
    for (let n = parent[i]; n !== -1; n = parent[n])
      if (++steps > 2000) bad(`node ${i} is part of a loop or lies too deep`);
  });
}
