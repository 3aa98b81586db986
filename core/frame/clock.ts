/** How long each thread is busy with each stage of the ribbon. */
import { STAGES, type StageId } from '../recipe/settings';
import type { StageSeconds } from './frameJob';
import type { Team } from './team';

/** Numbers that the clock of a thread takes. */
export const CLOCK_NUMBERS = STAGES.length;
const placeOf = Object.fromEntries(STAGES.map((s, i) => [s.id, i])) as Record<StageId, number>;

export class StageClock {
  private readonly own: Float64Array;

  /** @param timers CLOCK_NUMBERS a thread, shared; this thread's begin at nothing @param now milliseconds from any origin */
  constructor(
    private readonly timers: Float64Array,
    private readonly team: Team,
    readonly now: () => number,
  ) {
    this.own = team.part(timers, CLOCK_NUMBERS);
    this.own.fill(0);
  }

  /** Books the time since `from` to a stage. */
  book(stage: StageId, from: number): void {
    this.add(stage, this.now() - from);
  }

  add(stage: StageId, milliseconds: number): void {
    this.own[placeOf[stage]] += milliseconds / 1000;
  }

  /** An item of work whose time is booked. */
  timed(stage: StageId, run: (item: number) => void): (item: number) => void {
    return (item) => {
      const from = this.now();
      run(item);
      this.book(stage, from);
    };
  }

  /** Of all threads; to be read when they have come to their last barrier. */
  seconds(): StageSeconds {
    const { timers, team } = this;
    const mean = (place: number): number => {
      let sum = 0;
      for (let t = 0; t < team.size; t++) sum += timers[t * CLOCK_NUMBERS + place];
      return sum / team.size;
    };
    return Object.fromEntries(STAGES.map((s, i) => [s.id, mean(i)])) as StageSeconds;
  }
}
