/**
 * First look at a .glb before any of it is believed: frame, sizes and counts, so that a broken or hostile file is
 * refused with one line instead of exhausting memory (glTF 2.0 specification, section 4 and 5).
 */
import { BadFileError } from '@daxel/core/errors';
import { z } from 'zod';
import { imageSize, MAX_IMAGE_SIDE } from '../image/decodeImage';

const MAX_ELEMENTS = 60_000_000;
const MAX_UNPACKED = 2 ** 30;
/** Numbers that the file asks for without holding them: they are all zero. */
const MAX_EMPTY = 4_000_000;
/** With every mesh as often as nodes use it. */
export const MAX_TRIANGLES = 12_000_000;
export const MAX_VERTICES = 36_000_000;
/** Of all pictures together, 24 of 8192 × 8192: more takes minutes to unpack. */
const MAX_PIXELS = 24 * 2 ** 26;
/** Larger data addresses are pictures that the rest of the reading looks at. */
const MAX_DATA_ADDRESS = 2 ** 22;
const COMPONENTS: Record<string, number> = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4, MAT2: 4, MAT3: 9, MAT4: 16 };
const BYTES: Record<number, number> = { 5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4 };

const count = z.number().int().min(0);
const number = z.number();
const numbers = (length: number) => z.array(number).length(length).optional();
/** What most parts of a file may have. */
const named = {
  name: z.string().optional(),
  extensions: z.record(z.string(), z.record(z.string(), z.unknown())).optional(),
};
const textureUse = z.object({ index: count, texCoord: count.optional() }).optional();
const attributes = z.record(z.string(), count);
const view = z.object({ bufferView: count, byteOffset: count.optional() });
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
        componentType: number,
        count,
        type: z.string(),
        sparse: z.object({ count, indices: view.extend({ componentType: number }), values: view }).optional(),
      }),
    )
    .optional(),
  meshes: z
    .array(
      z.object({
        ...named,
        primitives: z.array(
          z.object({
            attributes,
            indices: count.optional(),
            material: count.optional(),
            mode: count.max(6).optional(),
            targets: z.array(attributes).optional(),
            extensions: z.unknown().optional(),
          }),
        ),
      }),
    )
    .optional(),
  materials: z
    .array(
      z.object({
        ...named,
        pbrMetallicRoughness: z
          .object({
            baseColorFactor: numbers(4),
            metallicFactor: number.optional(),
            roughnessFactor: number.optional(),
            baseColorTexture: textureUse,
            metallicRoughnessTexture: textureUse,
          })
          .optional(),
        emissiveFactor: numbers(3),
        normalTexture: textureUse,
        occlusionTexture: textureUse,
        emissiveTexture: textureUse,
        alphaMode: z.string().optional(),
        alphaCutoff: number.optional(),
        doubleSided: z.boolean().optional(),
      }),
    )
    .optional(),
  nodes: z
    .array(
      z.object({
        ...named,
        children: z.array(count).optional(),
        mesh: count.optional(),
        camera: count.optional(),
        translation: numbers(3),
        rotation: numbers(4),
        scale: numbers(3),
        matrix: numbers(16),
      }),
    )
    .optional(),
  scenes: z.array(z.object({ ...named, nodes: z.array(count).optional() })).optional(),
  cameras: z.array(z.object({ ...named, type: z.string() })).optional(),
  textures: z.array(z.object({ ...named, source: count.optional(), sampler: count.optional() })).optional(),
  images: z.array(z.object({ ...named, uri: z.string().optional(), bufferView: count.optional() })).optional(),
  animations: z
    .array(
      z.object({
        ...named,
        channels: z.array(z.object({ sampler: count, target: z.object({ node: count.optional(), path: z.string() }) })),
        samplers: z.array(z.object({ input: count, output: count })),
      }),
    )
    .optional(),
  extensionsRequired: z.array(z.string()).optional(),
});
type Gltf = z.infer<typeof shape>;
type Bad = (problem: string, remedy?: string) => never;
const REDUCE = 'Reduce or split the scene.';

/** What is wrong at which place, for people. @param otherwise names the whole */
export function issueInWords(issue: z.core.$ZodIssue, otherwise: string): string {
  const wanted = issue.code === 'invalid_type' ? `here belongs a value of the type "${issue.expected}"` : issue.message;
  return `${issue.path.join('.') || otherwise}: ${wanted}`;
}

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
    return bad(issueInWords(parsed.error.issues[0], 'JSON'));
  }
  checkContents(parsed.data, bytes.length, bad);
  checkUses(parsed.data, bad);
  checkAmounts(parsed.data, bad);
  checkPictures(parsed.data, bytes.subarray(Math.min(bytes.length, 20 + jsonLength + 8)), bad);
}

function checkContents(gltf: Gltf, fileBytes: number, bad: Bad): void {
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
  let [elements, empty] = [0, 0];
  (gltf.accessors ?? []).forEach((a, i) => {
    const components = COMPONENTS[a.type] ?? bad(`accessor ${i} has the unknown type "${a.type.slice(0, 20)}"`);
    const size = BYTES[a.componentType] ?? bad(`accessor ${i} has the unknown component type ${a.componentType}`);
    elements += a.count * components;
    if (elements > MAX_ELEMENTS) bad(`it holds more than ${MAX_ELEMENTS / 1e6} million numbers`, REDUCE);
    if (a.sparse) checkSparse(gltf, a.sparse, a.count, components * size, i, bad);
    if (a.bufferView === undefined) {
      empty += a.count * components;
      if (empty > MAX_EMPTY)
        bad(
          `accessor ${i} asks for ${a.count} elements without data, more than ${MAX_EMPTY / 1e6} million numbers with those before it`,
        );
      return;
    }
    const v = gltf.bufferViews?.[a.bufferView];
    if (!v) return bad(`accessor ${i} asks for bufferView ${a.bufferView}, which does not exist`);
    const stride = v.byteStride || components * size;
    const end = (a.byteOffset ?? 0) + (a.count - 1) * stride + components * size;
    if (v.extensions === undefined && a.count > 0 && end > v.byteLength)
      bad(`accessor ${i} reaches beyond its bufferView`);
  });
  checkTree(gltf.nodes ?? [], bad);
}

type Sparse = NonNullable<NonNullable<Gltf['accessors']>[number]['sparse']>;

function checkSparse(gltf: Gltf, sparse: Sparse, most: number, size: number, i: number, bad: Bad): void {
  if (sparse.count > most) bad(`accessor ${i} replaces ${sparse.count} of its ${most} elements`);
  const index =
    BYTES[sparse.indices.componentType] ?? bad(`accessor ${i}: sparse.indices has an unknown component type`);
  for (const [part, bytes] of [
    ['indices', index],
    ['values', size],
  ] as const) {
    const { bufferView, byteOffset = 0 } = sparse[part];
    const v = gltf.bufferViews?.[bufferView];
    if (!v) return bad(`accessor ${i}: sparse.${part} asks for bufferView ${bufferView}, which does not exist`);
    if (byteOffset + sparse.count * bytes > v.byteLength)
      bad(`accessor ${i}: sparse.${part} reaches beyond its bufferView`);
  }
}

const ONE = {
  accessors: 'accessor',
  bufferViews: 'bufferView',
  cameras: 'camera',
  images: 'image',
  materials: 'material',
  meshes: 'mesh',
  nodes: 'node',
  textures: 'texture',
} as const;

/** Everything that is asked for by its number is there. */
function checkUses(gltf: Gltf, bad: Bad): void {
  const uses = (place: string, kind: keyof typeof ONE, index: number | undefined): void => {
    const there = (gltf[kind] as unknown[] | undefined)?.length ?? 0;
    if (index !== undefined && index >= there) bad(`${place} asks for ${ONE[kind]} ${index}, which does not exist`);
  };
  (gltf.meshes ?? []).forEach((mesh, m) =>
    mesh.primitives.forEach((p, k) => {
      const place = `part ${k} of mesh ${m}`;
      for (const [name, index] of Object.entries(p.attributes)) uses(`${name} of ${place}`, 'accessors', index);
      uses(place, 'accessors', p.indices);
      uses(place, 'materials', p.material);
      for (const target of p.targets ?? [])
        for (const index of Object.values(target)) uses(`a shape of ${place}`, 'accessors', index);
    }),
  );
  (gltf.materials ?? []).forEach((m, i) => {
    const { baseColorTexture, metallicRoughnessTexture } = m.pbrMetallicRoughness ?? {};
    for (const use of [
      baseColorTexture,
      metallicRoughnessTexture,
      m.normalTexture,
      m.occlusionTexture,
      m.emissiveTexture,
    ])
      uses(`material ${i}`, 'textures', use?.index);
  });
  (gltf.textures ?? []).forEach((t, i) => uses(`texture ${i}`, 'images', t.source));
  (gltf.images ?? []).forEach((t, i) => uses(`image ${i}`, 'bufferViews', t.bufferView));
  (gltf.nodes ?? []).forEach((n, i) => {
    uses(`node ${i}`, 'meshes', n.mesh);
    uses(`node ${i}`, 'cameras', n.camera);
  });
  (gltf.scenes ?? []).forEach((one, i) => one.nodes?.forEach((n) => uses(`scene ${i}`, 'nodes', n)));
  (gltf.animations ?? []).forEach((a, i) => {
    for (const s of a.samplers) for (const index of [s.input, s.output]) uses(`animation ${i}`, 'accessors', index);
    for (const c of a.channels) {
      uses(`animation ${i}`, 'nodes', c.target.node);
      if (c.sampler >= a.samplers.length) bad(`animation ${i} asks for sampler ${c.sampler}, which does not exist`);
    }
  });
}

/** What the scene comes to when every node has its own copy of its mesh. */
function checkAmounts({ meshes = [], accessors = [], nodes = [] }: Gltf, bad: Bad): void {
  const sizes = meshes.map(({ primitives }) => {
    let [triangles, vertices] = [0, 0];
    for (const { attributes: own, indices, mode = 4 } of primitives) {
      const corners = accessors[own.POSITION]?.count ?? 0;
      const order = indices === undefined ? corners : accessors[indices].count;
      vertices += corners;
      if (mode >= 4) triangles += mode === 4 ? order / 3 : Math.max(0, order - 2);
    }
    return { triangles, vertices };
  });
  let [triangles, vertices] = [0, 0];
  for (const { mesh } of nodes) {
    if (mesh === undefined) continue;
    triangles += sizes[mesh].triangles;
    vertices += sizes[mesh].vertices;
  }
  const told = (n: number): string => `${(n / 1e6).toFixed(1)} million`;
  const drawn = nodes.filter((n) => n.mesh !== undefined).length;
  if (triangles > MAX_TRIANGLES)
    bad(`its ${drawn} objects have ${told(triangles)} triangles in all, more than ${told(MAX_TRIANGLES)}`, REDUCE);
  if (vertices > MAX_VERTICES)
    bad(`its ${drawn} objects have ${told(vertices)} vertices in all, more than ${told(MAX_VERTICES)}`, REDUCE);
}

/** @param contents of the file's second part */
function checkPictures({ images = [], bufferViews = [] }: Gltf, contents: Uint8Array, bad: Bad): void {
  let pixels = 0;
  for (const { uri, bufferView } of images) {
    const v = bufferView === undefined ? undefined : bufferViews[bufferView];
    const bytes = v ? contents.subarray(v.byteOffset ?? 0, (v.byteOffset ?? 0) + v.byteLength) : dataOf(uri ?? '');
    const size = imageSize(bytes);
    // what is larger than any picture may be is not unpacked
    if (size && Math.max(size.width, size.height) <= MAX_IMAGE_SIDE) pixels += size.width * size.height;
  }
  if (pixels > MAX_PIXELS)
    bad(
      `its ${images.length} pictures have ${Math.round(pixels / 1e6)} million pixels in all, more than ${Math.round(MAX_PIXELS / 1e6)} million`,
      'Reduce the size of its textures.',
    );
}

function dataOf(uri: string): Uint8Array {
  const [head, data] = uri.slice(0, MAX_DATA_ADDRESS).split(',');
  if (!data || !head.endsWith(';base64')) return new Uint8Array();
  try {
    return Uint8Array.from(atob(data.slice(0, data.length & ~3)), (c) => c.charCodeAt(0));
  } catch {
    return new Uint8Array();
  }
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
