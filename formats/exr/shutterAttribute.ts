/** How the shutter of an EXR frame was sampled, as a text attribute of its header: instants, and the share of the frame it was open. */

export const SHUTTER_ATTRIBUTE = 'daxelShutter';

export interface FrameShutter {
  /** Instants of the open shutter. */
  instants: number;
  /** Share of the time between frames for which it was open, 0…1. */
  open: number;
}

/** @example "16 0.5" */
export function shutterText({ instants, open }: FrameShutter): string {
  return `${instants} ${open}`;
}

/** @returns undefined where the text says nothing that can be */
export function readShutter(text: string | undefined): FrameShutter | undefined {
  const [instants, open] = (text ?? '').split(' ').map(Number);
  return Number.isInteger(instants) && instants >= 1 && instants <= 4096 && open > 0 && open <= 1
    ? { instants, open }
    : undefined;
}
