<script setup lang="ts">
/** Figures of every candidate against the reference, for the whole picture and per patch. */
import { computed } from 'vue';
import type { ErrorFigures } from '@daxel/core/measure/imageError';
import { levelInStops, levelInWords } from '@daxel/core/measure/partLevel';
import { isEnough } from '@daxel/core/plan/bounceCures';
import type { BounceFigures, PlaceFigures } from '../render/measureWorker';

export interface FigureRow {
  /** The candidate, as the address names it. */
  key: string;
  patch: string;
  patchName: string;
  letter: string;
  name: string;
  figures: PlaceFigures | null;
  message: string | null;
  /** It is drawn here by settings that can be changed. */
  curable: boolean;
}
const props = defineProps<{ rows: readonly FigureRow[]; reference: string; chosen: string; busy: boolean }>();
const emit = defineEmits<{ choose: [patch: string]; csv: []; cure: [row: FigureRow] }>();

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
/** Of the chosen place, what there is to say of each picture. */
const sentences = computed(() =>
  props.rows.flatMap((r) => {
    if (r.patch !== props.chosen || !r.figures) return [];
    const { says, bounce } = r.figures;
    const of = bounceOf(bounce);
    // what pixel by pixel is lost in noise can be sure of a place's mean
    const text = [isNoise(r.figures) && of.wrong ? '' : says, of.wrong ? of.says : ''].filter(Boolean).join(' ');
    return text ? [{ letter: r.letter, patchName: r.patchName, text }] : [];
  }),
);
const several = computed(() => new Set(props.rows.map((r) => r.letter)).size > 1);
/** Stops of bounced light, what they mean, and whether they are more than is let pass. */
function bounceOf(b: BounceFigures): { text: string; says: string; wrong: boolean } {
  if (b === 'unknown')
    return { text: '–', says: 'One of the two does not say what its light is made of.', wrong: false };
  const says = levelInWords(b, 'bounced light');
  if (!b) return { text: '–', says, wrong: false };
  return { text: levelInStops(b), says, wrong: !isEnough(b) };
}
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
      <strong>{{ r.letter }}</strong> {{ r.patchName }}: {{ r.text }}
    </p>
    <table>
      <thead class="narrow">
        <tr>
          <th>Where</th>
          <th>Against {{ reference }}</th>
          <th v-for="c in COLUMNS" :key="c.id" :title="c.says">{{ c.label }}</th>
          <th title="Bounced light, in stops brighter (+) or darker (−)">Bounce</th>
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
            <td class="figure" :title="bounceOf(r.figures.bounce).says">
              <button
                v-if="r.curable && bounceOf(r.figures.bounce).wrong"
                class="cure"
                :disabled="busy"
                :aria-label="`cure… bounced light of ${r.letter}, ${r.patchName}`"
                @click.stop="emit('cure', r)"
              >
                cure…
              </button>
              {{ bounceOf(r.figures.bounce).text }}
            </td>
            <td class="figure quiet">{{ r.figures.floor > 0 ? r.figures.floor.toFixed(4) : '–' }}</td>
            <td class="narrow">
              <span v-if="isNoise(r.figures)" class="noise" title="The reference is as noisy as the difference is large"
                >within its noise</span
              >
            </td>
          </template>
          <td v-else :colspan="COLUMNS.length + 3" class="narrow" :class="r.message ? 'flag' : 'quiet'">
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
  flex: 1;
  min-width: 0;
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
.cure {
  margin-right: 6px;
  color: var(--accent);
}
/* on the tint the accent is too faint */
.chosen .cure {
  color: inherit;
  text-decoration: underline;
}
.cure:disabled {
  color: var(--quiet);
}
.noise {
  font-weight: 600;
}
thead button {
  color: var(--accent);
}
</style>
