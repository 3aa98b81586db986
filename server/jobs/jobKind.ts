/** A kind of work that is rendered part by part: a still, a wedge, a sequence. */
import type { EventStream } from '../http/eventStream';
import type { Database } from '../db/database';
import type { FromRenderProcess, RenderOrder } from '../render/renderProcess';
import type { FileStore } from '../store/fileStore';
import type { JobRunner } from './jobRunner';
import type { JobName, Queue } from './queue';

/** What came of an order. */
export type Made = Extract<FromRenderProcess, { type: 'done' | 'step' }>;

/** What is known of a job only while one of its parts is worked on. */
export interface Live {
  /** Milliseconds, as `performance.now`. */
  since: number;
  /** Of the part, 0…1. */
  progress: number;
  /** Pictures that were seen of it while it formed. */
  formed: number;
}

export interface JobKind<Row extends { id: string; compiledHash: string } = never, Part = never> {
  readonly name: JobName;
  /** Names of files half way that are still of use. */
  unfinished(): Promise<string[]>;
  /** Takes up what an earlier server left open. */
  start(): Promise<void>;
  /** Marks it as worked on. @returns null when it is not wanted any more */
  begin(id: string): Promise<Row | null>;
  /** What is missing of it and comes next; null when all is there. */
  part(row: Row): Part | null;
  /** @returns null when the part was had without a renderer, and is kept already */
  order(row: Row, part: Part): Promise<RenderOrder | null>;
  /** Keeps what came of a part. */
  take(row: Row, part: Part, made: Made): Promise<void>;
  /** All is there. */
  finish(row: Row): Promise<void>;
  fail(id: string, message: string): Promise<void>;
  /** What is said of a part at which the renderer ended four times. */
  tooMuch(part: Part): string;
  /** The part is tried again. */
  again?(id: string): Promise<void>;
  /** Asks the queue for what comes next. @param left whether something of this one is missing */
  next(id: string, left: boolean): Promise<void>;
  /** Tells open pages of it as it stands in the database… */
  announce(id: string): Promise<unknown>;
  /** …and with what is known of it right now. */
  tell(row: Row, live: Live): void;
}

/** What all kinds work with. */
export interface JobTools {
  db: Database;
  files: FileStore;
  queue: Queue;
  events: EventStream;
  runner: JobRunner;
}
