/** A part of a picture in pixels; may reach beyond it. */
export interface Rect {
  x: number;
  y: number;
  width: number;
  height: number;
}
