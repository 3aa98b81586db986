/** Layers of a frame as the channels of one EXR file. */
import type { Layer } from '@daxel/core/frame/layers';
import type { ExrChannel } from './writeExr';

/** Layers that half floats would spoil. */
const EXACT = ['depth', 'objectId', 'motion'];

/** Beauty is the plain R G B A; every other layer carries its name: `direct.R`, `depth.Z`. */
export function layersToChannels(layers: readonly Layer[]): ExrChannel[] {
  return layers.flatMap((layer) =>
    layer.channels.map((letter, k) => ({
      name: layer.name === 'beauty' ? letter : `${layer.name}.${letter}`,
      data: layer.data,
      stride: layer.channels.length,
      offset: k,
      alwaysFloat: EXACT.includes(layer.name),
    })),
  );
}
