<script setup lang="ts">
/** Figures of every candidate against the reference, for the whole picture and per patch. */
import { computed } from 'vue';
import type { ErrorFigures } from '@daxel/core/measure/imageError';
import type { PlaceFigures } from '../render/measureWorker';

export interface FigureRow {
  patch: string;
  patchName: string;
  letter: string;
  name: string;
  figures: PlaceFigures | null;
  message: string | null;
}
const props = defineProps<{ rows: readonly FigureRow[]; reference: string; chosen: string }>();
const emit = defineEmits<{ choose: [patch: string]; csv: [] }>();

const COLUMNS = [
  { id: 'flip', label: 'FLIP', says: 'How different the two look when they alternate, 0 to 1' },
  { id: 'ssim', label: 'SSIM', says: 'Likeness of structure, 1 for alike' },
  { id: 'psnr', label: 'PSNR', says: 'Decibel, on display codes' },
  { id: 'rmse', label: 'RMSE', says: 'Of scene-linear light, 1 is display white' },
  { id: 'meanStops', label: 'Mean', says: 'Brighter (+) or darker (−) on the whole, in stops' },
] as const;
/** Below this factor of the reference's own noise nothing is claimed. */
const CLAIM = 1.2;
const isNoise = (f: ErrorFigures): boolean => f.floor > 0 && f.rmse <= f.floor * CLAIM;
const best = computed(() => {
  const least = new Map<string, number>();
  for (const r of props.rows)
    if (r.figures) least.set(r.patch, Math.min(least.get(r.patch) ?? Infinity, r.figures.flip));
  return least;
});
/** Of the chosen place, a sentence a picture. */
const sentences = computed(() => props.rows.filter((r) => r.patch === props.chosen && r.figures?.says));
const several = computed(() => new Set(props.rows.map((r) => r.letter)).size > 1);
function text(f: ErrorFigures, id: (typeof COLUMNS)[number]['id']): string {
  const v = f[id];
  if (id === 'psnr') return Number.isFinite(v) ? `${v.toFixed(1)} dB` : '∞';
  if (id === 'meanStops') return `${v < 0 ? '−' : '+'}${Math.abs(v).toFixed(2)}`;
  return v.toFixed(id === 'rmse' ? 4 : 3);
}
</script>

<template>
  <section class="table" aria-label="Figures against the reference">
    <p v-for="r in sentences" :key="r.letter" class="says" role="status">
      <strong>{{ r.letter }}</strong> {{ r.patchName }}: {{ r.figures?.says }}
    </p>
    <table>
      <thead class="narrow">
        <tr>
          <th>Where</th>
          <th>Against {{ reference }}</th>
          <th v-for="c in COLUMNS" :key="c.id" :title="c.says">{{ c.label }}</th>
          <th title="RMSE that the reference's own noise gives">Noise floor</th>
          <th><button @click="emit('csv')">CSV</button></th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="r in rows"
          :key="r.patch + r.letter"
          :class="{ chosen: r.patch === chosen }"
          @click="emit('choose', r.patch)"
        >
          <td>
            <button class="where" :aria-pressed="r.patch === chosen" @click.stop="emit('choose', r.patch)">
              {{ r.patchName }}
            </button>
          </td>
          <td>
            <strong>{{ r.letter }}</strong> {{ r.name }}
          </td>
          <template v-if="r.figures">
            <td
              v-for="c in COLUMNS"
              :key="c.id"
              class="figure"
              :class="{ best: c.id === 'flip' && several && r.figures.flip === best.get(r.patch) }"
            >
              {{ text(r.figures, c.id) }}
            </td>
            <td class="figure quiet">{{ r.figures.floor > 0 ? r.figures.floor.toFixed(4) : '–' }}</td>
            <td class="narrow">
              <span v-if="isNoise(r.figures)" class="noise" title="The reference is as noisy as the difference is large"
                >within its noise</span
              >
            </td>
          </template>
          <td v-else :colspan="COLUMNS.length + 2" class="narrow" :class="r.message ? 'flag' : 'quiet'">
            {{ r.message ?? 'measuring…' }}
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.table {
  max-height: 190px;
  flex: none;
  overflow-y: auto;
  border-top: 1px solid var(--line);
  background: var(--ground);
}
table {
  width: 100%;
  border-collapse: collapse;
}
thead th {
  position: sticky;
  top: 0;
  background: var(--ground);
  font-weight: 500;
  color: var(--quiet);
  text-align: right;
  padding: 4px 10px;
  border-bottom: 1px solid var(--line);
}
thead th:nth-child(-n + 2) {
  text-align: left;
}
.says {
  padding: 4px 10px 0;
}
td {
  padding: 2px 10px;
  white-space: nowrap;
}
.figure {
  text-align: right;
}
.best {
  font-weight: 700;
}
.chosen td {
  background: rgba(var(--v-theme-primary), 0.12);
}
.where {
  text-align: left;
}
.noise {
  font-weight: 600;
}
thead button {
  color: var(--accent);
}
</style>
