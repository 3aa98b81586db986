/** What each pixel of the whole picture sends on to the rest of the scene, for methods that look for light in the picture. */
import type { OpenAround } from '../around/method';
import { tileBox, TILE_SHIFT } from '../raster/tile';
import type { SentLight } from '../shading/sendTile';
import { tilesAcross } from './frameMemory';
import type { FrameWork } from './frameWork';
import { roundsOf, type Look } from './look';
import type { Rasterizer } from './rasterizer';
import { createShading } from './shading';

/** @returns false when cancelled */
export type DrawSenders = (look: Look) => boolean;

/** All of it is booked as bounced light. */
const UNBOOKED = { now: () => 0, add: () => undefined };

/** Null where no method asks. What comes to pixels from around is what the methods say that do not. */
export function createSenders(work: FrameWork, raster: Rasterizer, methods: readonly OpenAround[]): DrawSenders | null {
  const reads = methods.find((m) => m.readsLight)?.readsLight;
  if (!reads) return null;
  const { settings, prepass, team, clock, pattern } = work;
  const { width, height } = settings.wide;
  const tilesX = tilesAcross(width, TILE_SHIFT);
  const to: SentLight = {
    ...{ triangle: prepass.senderTriangle, senders: prepass.senderLight, smooth: prepass.senderNormal },
    ...reads,
    width,
  };
  // mirrors are left out, and shadows that are looked for in the picture: it is not all there yet
  const plain: FrameWork = {
    ...work,
    view: 'picture',
    settings: {
      ...settings,
      reflections: 0,
      bounce: reads.surfaces > 1 ? settings.bounce : 0,
      contact: { ...settings.contact, length: 0 },
    },
  };
  const others = reads.surfaces > 1 ? methods.filter((m) => !m.readsLight) : [];
  const shadingFor = createShading(plain, raster, others, UNBOOKED);

  return (look) => {
    const { soft, positions, slots } = look.maps;
    const rounds = roundsOf(look);
    const shading = shadingFor(look);
    for (let round = 0; round < rounds; round++) {
      const first = round * slots;
      const count = Math.min(slots, positions - first);
      if (soft.length > 0) {
        const lights = look.lit!.lightsAt({ first: pattern.base * positions + first, count });
        if (!lights) return false;
        shading.setLights(lights);
      }
      // corners are found in the picture as it was transformed, which maps of soft lights write over
      if (!raster.sortPicture(look.eye, true)) return false;
      const draw = clock.timed('bounce', (t) => {
        const box = tileBox(t, tilesX, width, height);
        shading.send(box, { number: pattern.base, share: count / positions, begins: round === 0 }, to);
      });
      if (!team.share(raster.wideTiles, draw)) return false;
    }
    return true;
  };
}
