/** Where each stage of a frame works, and what stands there from the frame before. */
import { NO_REGION, type KernelHeap, type Region } from '@daxel/kernel/heap';
import { arenaViews, type ArenaPlan, type ArenaViews } from './memory';
import type { PlannedStage } from './planFrame';
import { STAGE_NAMES, type StageName } from './stages/frameStages';
import type { StageMessage } from './threadProgram';

export class StageRooms {
  private readonly held: Record<StageName, { region: Region; stands: string }>;

  constructor(private readonly heap: KernelHeap) {
    const rooms = STAGE_NAMES.map((name) => [name, { region: NO_REGION, stands: '' }]);
    this.held = Object.fromEntries(rooms) as typeof this.held;
  }

  /** Room for a stage, and what of it stands there already. */
  orderOf({ name, options, arena, bytes, key }: PlannedStage): StageMessage {
    const held = this.held[name];
    if (held.region.bytes < bytes) {
      this.heap.release(held.region);
      held.region = this.heap.allocate(bytes);
      held.stands = '';
    }
    return { name, options, arena, region: held.region, stands: held.stands === key ? key : '' };
  }

  /** The arrays of a stage that was ordered last. */
  viewsOf<Arena extends ArenaPlan>(name: StageName, arena: Arena): ArenaViews<Arena> {
    const { region } = this.held[name];
    return arenaViews(arena, region.buffer, region.base);
  }

  stands(name: StageName): string {
    return this.held[name].stands;
  }

  setStands(name: StageName, key: string): void {
    this.held[name].stands = key;
  }

  /** What stands of stages that have nothing to do in a frame: it does not touch their memory. */
  standsOf(stages: readonly PlannedStage[]): Map<StageName, string> {
    return new Map(stages.map(({ name }) => [name, this.held[name].stands]));
  }

  /** What is baked stays: it is no part of a frame's time, and known by all that it depends on. */
  forget(): void {
    for (const name of STAGE_NAMES) if (name !== 'probes') this.held[name].stands = '';
  }
}
