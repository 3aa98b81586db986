/** Where a picture lies in its room: scale and the place in its middle. Pure: components keep the state. */

export interface Size {
  width: number;
  height: number;
}
/** Screen pixels along one picture pixel, null for as large as fits; and the picture place in the middle of the room. */
export interface Look {
  zoom: number | null;
  x: number;
  y: number;
}
export const LEAST_ZOOM = 0.1;
export const MOST_ZOOM = 64;
export const FITTED: Look = { zoom: null, x: 0, y: 0 };

/** As large as the room allows, but no larger than the picture is. @param margin on each side, screen pixels */
export function fittedScale(picture: Size, room: Size, margin: number): number {
  const [w, h] = [room.width - 2 * margin, room.height - 2 * margin];
  return Math.max(0.01, Math.min(1, w / picture.width, h / picture.height));
}

/** The look in plain numbers: a fitted picture lies in the middle. */
export function resolvedLook(look: Look, picture: Size, room: Size, margin: number): Look & { zoom: number } {
  if (look.zoom === null)
    return { zoom: fittedScale(picture, room, margin), x: picture.width / 2, y: picture.height / 2 };
  // some of the picture is always to be seen
  return {
    zoom: look.zoom,
    x: Math.min(picture.width, Math.max(0, look.x)),
    y: Math.min(picture.height, Math.max(0, look.y)),
  };
}

/** Another scale; the picture place `about` stays where it is on the screen. */
export function zoomedTo(now: Look & { zoom: number }, zoom: number, about: { x: number; y: number } = now): Look {
  const to = Math.min(MOST_ZOOM, Math.max(LEAST_ZOOM, zoom));
  const k = now.zoom / to;
  return { zoom: to, x: about.x - (about.x - now.x) * k, y: about.y - (about.y - now.y) * k };
}

/** Moved by so many screen pixels. */
export function movedBy(now: Look & { zoom: number }, dx: number, dy: number): Look {
  return { zoom: now.zoom, x: now.x - dx / now.zoom, y: now.y - dy / now.zoom };
}

/** Upper left corner of the picture in the room: whole screen pixels, so that true pixels stay true. */
export function cornerOf({ zoom, x, y }: Look & { zoom: number }, room: Size): { left: number; top: number } {
  return { left: Math.round(room.width / 2 - x * zoom), top: Math.round(room.height / 2 - y * zoom) };
}
