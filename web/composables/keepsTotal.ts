/** Does resizing the face of a light keep what it sends out in all? An artist's habit, on all shots. */
import { remembered } from './remembered';

export const keepsTotal = remembered<boolean>(
  () => 'total light',
  () => false,
  (kept) => typeof kept === 'boolean',
);
