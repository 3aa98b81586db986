/** What an artist has set up on Motion for one shot. */
import type { Tier } from '@daxel/core/recipe/recipe';
import { LEAST_ZOOM, MOST_ZOOM, type Look } from './panZoom';

export interface MotionSetup {
  tier: Tier;
  from: number;
  to: number;
  look: Look;
}

/** What the browser kept may be of an older page, or damaged. */
export function isSetup({ tier, from, to, look }: MotionSetup): boolean {
  const range = Number.isInteger(from) && Number.isInteger(to) && to >= from;
  const zoom = look?.zoom === null || (look?.zoom >= LEAST_ZOOM && look.zoom <= MOST_ZOOM);
  return (tier === 'draft' || tier === 'final') && range && zoom && Number.isFinite(look.x) && Number.isFinite(look.y);
}
