/** Between the size at which a picture is computed and the size at which it comes out. */
import { axisShares, resampleRows, type AxisShares } from '../film/resample';
import type { Rect } from '../measure/rect';
import { SUMS } from '../light/components';
import { isScaled, type FrameViews } from './frameMemory';
import type { FrameSettings } from './frameSettings';

export interface Scaling {
  from: FrameViews;
  fromWidth: number;
  to: FrameViews;
  across: AxisShares;
  down: AxisShares;
}

/** @returns null where both sizes are the same */
export function scalingOf(to: FrameViews, from: FrameViews, settings: FrameSettings): Scaling | null {
  if (!isScaled(settings)) return null;
  const { width, height, render } = settings;
  return {
    from,
    fromWidth: render.width,
    to,
    across: axisShares(render.width, width),
    down: axisShares(render.height, height),
  };
}

/**
 * Light is averaged; depth, normals and object numbers are those of the pixel in the middle.
 * @param left, right columns of the rows that are wanted; all by default
 */
export function scaleRows(
  { from, fromWidth, to, across, down }: Scaling,
  first: number,
  end: number,
  left = 0,
  right = across.first.length,
): void {
  resampleRows(from.sums, fromWidth, to.sums, SUMS, across, down, first, end, left, right);
  const width = across.first.length;
  for (let y = first; y < end; y++) {
    const row = middleOf(down, y) * fromWidth;
    for (let x = left; x < right; x++) {
      const i = y * width + x;
      const k = row + middleOf(across, x);
      to.depth[i] = from.depth[k];
      to.objectId[i] = from.objectId[k];
      for (let c = 0; c < 3; c++) to.normal[i * 3 + c] = from.normal[k * 3 + c];
    }
  }
}

function middleOf({ first, starts, shares }: AxisShares, i: number): number {
  const count = starts[i + 1] - starts[i];
  // of two the nearer one, of many the one in the middle
  if (count === 2) return first[i] + (shares[starts[i]] >= shares[starts[i] + 1] ? 0 : 1);
  return first[i] + (count >> 1);
}

/** What must be computed for a part of the picture, with a pixel around it that interpolation may reach. */
export function computedRect(rect: Rect, settings: FrameSettings): Rect {
  if (!isScaled(settings)) return rect;
  const { width, height, render } = settings;
  const [kx, ky] = [render.width / width, render.height / height];
  const x = Math.floor(rect.x * kx) - 1;
  const y = Math.floor(rect.y * ky) - 1;
  const right = Math.ceil((rect.x + rect.width) * kx) + 1;
  const bottom = Math.ceil((rect.y + rect.height) * ky) + 1;
  return { x, y, width: right - x, height: bottom - y };
}
