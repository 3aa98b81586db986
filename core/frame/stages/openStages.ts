/** Goes through the stages of a frame on one thread. */
import { isAround, type OpenAround } from '../../around/method';
import type { FrameWork } from '../frameWork';
import type { Look } from '../look';
import { stageOf, type StageName } from './frameStages';
import type { AnyStage, OpenStage } from './stage';

/** A stage as the plan hands it to threads. */
export interface StageOrder {
  name: StageName;
  /** Null where it has nothing to do. */
  options: unknown;
  /** What its memory holds already; empty where nothing that is right. */
  stands: string;
}

/** Those that look from a place on the lens. */
export interface EyeStages {
  /** Those among them that answer for rows of surfaces, in the order in which they do. */
  around: readonly OpenAround[];
  /** @returns false when cancelled */
  prepare(look: Look): boolean;
}

export interface OpenStages {
  eye: EyeStages;
  /** Prepares all that depends on the instant alone. @returns false when cancelled */
  prepare(look: Look): boolean;
  /** What the memory of each stage holds now. */
  stands(): string[];
}

interface Opened {
  stage: AnyStage;
  options: unknown;
  open: OpenStage;
  held: string;
}

export function openStages(work: FrameWork, orders: readonly StageOrder[]): OpenStages {
  const opened = orders.map(({ name, options, stands }): Opened | null => {
    if (options === null) return null;
    const stage = stageOf(name);
    return { stage, options, open: stage.open(work, options, work[name]), held: stands };
  });
  const prepareAll = (each: AnyStage['each'], look: Look): boolean =>
    opened.every((o) => {
      if (o?.stage.each !== each) return true;
      const key = o.stage.key(work, o.options, look);
      const stands = key !== null && key === o.held;
      o.held = '';
      if (!o.open.prepare(look, stands)) return false;
      o.held = key ?? '';
      return true;
    });
  return {
    eye: {
      around: opened.flatMap((o) => (o && isAround(o.open) ? [o.open] : [])),
      prepare: (look) => prepareAll('eye', look),
    },
    prepare: (look) => prepareAll('instant', look),
    stands: () => opened.map((o) => (o && (o.open.lasts?.() ?? true) ? o.held : '')),
  };
}
