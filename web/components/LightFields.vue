<script setup lang="ts">
/** Everything of one light, by its kind. */
import { computed } from 'vue';
import { sunAngles, sunDirection, type RigLight } from '@daxel/core/light/rig';
import { blackBody, linearToSrgb, srgbToLinear } from '@daxel/core/math/color';
import { keepsTotal } from '../composables/keepsTotal';
import NumberField from './NumberField.vue';
import SunDial from './SunDial.vue';

const props = defineProps<{ light: RigLight }>();
const emit = defineEmits<{ change: [change: Partial<RigLight>] }>();

const UNITS = { sun: 'lux', point: 'cd', spot: 'cd', area: 'nit' } as const;
const KINDS = { sun: 'Sun', point: 'Point', spot: 'Spot', area: 'Area' } as const;
const SHAPES = ['rectangle', 'square', 'disc', 'ellipse'] as const;
const FILTERS = [
  ['', 'as the recipe'],
  ['hard', 'hard'],
  ['pcf', 'PCF'],
  ['soft', 'percentage-closer soft'],
  ['moment', 'moment'],
] as const;
const AXES = ['X', 'Y', 'Z'] as const;
const angles = computed(() => sunAngles(props.light.direction));
const oneSize = computed(() => props.light.shape === 'square' || props.light.shape === 'disc');

/** Colours are kept with their largest part 1, so that intensity alone says how bright. */
const colorCode = computed(() => {
  const top = Math.max(...props.light.color, 1e-6);
  const code = (v: number): string =>
    Math.round(linearToSrgb(Math.min(1, v / top)) * 255)
      .toString(16)
      .padStart(2, '0');
  return `#${props.light.color.map(code).join('')}`;
});
function setColor(text: string): void {
  const rgb = [1, 3, 5].map((i) => srgbToLinear(parseInt(text.slice(i, i + 2), 16) / 255));
  const top = Math.max(...rgb, 1e-6);
  emit('change', { color: rgb.map((v) => v / top) as RigLight['color'], temperature: null });
}
function setTemperature(kelvin: number): void {
  const rgb = blackBody(kelvin);
  const top = Math.max(...rgb);
  emit('change', { color: rgb.map((v) => v / top) as RigLight['color'], temperature: kelvin });
}
/** What is moved by hand no longer follows the scene's node. */
function place(change: Partial<RigLight>): void {
  emit('change', { ...change, follows: null });
}
function setPart(of: 'position' | 'direction', axis: number, value: number): void {
  const next = [...props.light[of]] as [number, number, number];
  next[axis] = value;
  if (of === 'direction' && next.every((c) => c === 0)) return;
  place({ [of]: next });
}
/** An empty field gives the setting back to the recipe. */
function setShadow(key: 'resolution' | 'slopeBias' | 'normalOffset', text: string): void {
  const value = Number(text);
  const whole = key === 'resolution';
  const [min, max] = whole ? [128, 8192] : [0, 10];
  const empty = text.trim() === '';
  if (!empty && (!(value >= min && value <= max) || (whole && !Number.isInteger(value)))) return;
  const { [key]: _was, ...others } = props.light.shadow;
  emit('change', { shadow: empty ? others : { ...others, [key]: value } });
}
function setFilter(text: string): void {
  const shadow = { ...props.light.shadow };
  delete shadow.filter;
  if (text) shadow.filter = text as NonNullable<RigLight['shadow']['filter']>;
  emit('change', { shadow });
}
</script>

<template>
  <div class="fields">
    <div class="head">
      <input
        class="name"
        :value="light.name"
        aria-label="Name of the light"
        maxlength="80"
        @change="emit('change', { name: ($event.target as HTMLInputElement).value.trim() || light.name })"
      />
      <span class="quiet">{{ KINDS[light.kind] }}</span>
    </div>
    <NumberField
      label="Intensity"
      :model-value="light.intensity"
      :min="-1e9"
      :max="1e9"
      :unit="UNITS[light.kind]"
      :factor="1.1"
      @update:model-value="emit('change', { intensity: $event })"
    />
    <div class="pair">
      <span class="narrow">Colour</span>
      <input
        type="color"
        :value="colorCode"
        aria-label="Colour of the light"
        @input="setColor(($event.target as HTMLInputElement).value)"
      />
    </div>
    <NumberField
      label="Temperature"
      :model-value="light.temperature ?? 6500"
      :min="1000"
      :max="20000"
      :step="100"
      unit="K"
      :class="{ unset: light.temperature === null }"
      @update:model-value="setTemperature($event)"
    />

    <template v-if="light.kind === 'sun'">
      <div class="dial">
        <SunDial :direction="light.direction" @change="place({ direction: $event })" />
        <div class="dialed">
          <NumberField
            label="Altitude"
            :model-value="Number(angles.altitudeDeg.toFixed(2))"
            :min="-90"
            :max="90"
            :step="0.5"
            unit="°"
            @update:model-value="place({ direction: sunDirection($event, angles.azimuthDeg) })"
          />
          <NumberField
            label="Azimuth"
            :model-value="Number(angles.azimuthDeg.toFixed(2))"
            :min="0"
            :max="360"
            unit="°"
            @update:model-value="place({ direction: sunDirection(angles.altitudeDeg, $event) })"
          />
          <NumberField
            label="Diameter"
            :model-value="light.angularDiameterDeg"
            :min="0"
            :max="90"
            :step="0.1"
            unit="°"
            @update:model-value="emit('change', { angularDiameterDeg: $event })"
          />
        </div>
      </div>
      <label v-if="light.turnsWithPicture !== undefined" class="check">
        <input
          type="checkbox"
          :checked="light.turnsWithPicture"
          @change="emit('change', { turnsWithPicture: ($event.target as HTMLInputElement).checked })"
        />
        turns with the picture it was split off
      </label>
    </template>
    <template v-else>
      <NumberField
        v-for="(axis, i) in AXES"
        :key="axis"
        :label="`Position ${axis}`"
        :model-value="light.position[i]"
        :min="-1e7"
        :max="1e7"
        :step="0.05"
        unit="m"
        @update:model-value="setPart('position', i, $event)"
      />
      <template v-if="light.kind !== 'point'">
        <NumberField
          v-for="(axis, i) in AXES"
          :key="axis"
          :label="`Direction ${axis}`"
          :model-value="light.direction[i]"
          :min="-1000"
          :max="1000"
          :step="0.05"
          @update:model-value="setPart('direction', i, $event)"
        />
      </template>
    </template>
    <template v-if="light.kind === 'area'">
      <div class="pair">
        <span class="narrow">Shape</span>
        <select
          :value="light.shape"
          aria-label="Shape"
          @change="emit('change', { shape: ($event.target as HTMLSelectElement).value as RigLight['shape'] })"
        >
          <option v-for="s in SHAPES" :key="s" :value="s">{{ s }}</option>
        </select>
      </div>
      <NumberField
        label="Width"
        :model-value="light.width"
        :min="0.001"
        :max="10000"
        :step="0.05"
        unit="m"
        @update:model-value="emit('change', { width: $event })"
      />
      <NumberField
        v-if="!oneSize"
        label="Height"
        :model-value="light.height"
        :min="0.001"
        :max="10000"
        :step="0.05"
        unit="m"
        @update:model-value="emit('change', { height: $event })"
      />
      <label class="check">
        <input v-model="keepsTotal" type="checkbox" />
        resizing keeps its total light
      </label>
      <NumberField
        label="Roll"
        :model-value="light.rollDeg"
        :min="-360"
        :max="360"
        unit="°"
        @update:model-value="place({ rollDeg: $event })"
      />
      <label class="check">
        <input
          type="checkbox"
          :checked="light.twoSided"
          @change="emit('change', { twoSided: ($event.target as HTMLInputElement).checked })"
        />
        shines from both sides
      </label>
    </template>
    <template v-if="light.kind === 'spot'">
      <NumberField
        label="Cone"
        :model-value="light.outerConeDeg"
        :min="0.5"
        :max="89.5"
        :step="0.5"
        unit="°"
        @update:model-value="emit('change', { outerConeDeg: $event })"
      />
      <NumberField
        label="Full light within"
        :model-value="light.innerConeDeg"
        :min="0"
        :max="89"
        :step="0.5"
        unit="°"
        @update:model-value="emit('change', { innerConeDeg: $event })"
      />
    </template>
    <NumberField
      v-if="light.kind === 'point' || light.kind === 'spot'"
      label="Radius"
      :model-value="light.radius"
      :min="0"
      :max="1000"
      :step="0.01"
      unit="m"
      @update:model-value="emit('change', { radius: $event })"
    />

    <label class="check">
      <input
        type="checkbox"
        :checked="light.castsShadow"
        @change="emit('change', { castsShadow: ($event.target as HTMLInputElement).checked })"
      />
      casts shadows
    </label>
    <details v-if="light.castsShadow">
      <summary>Shadow of its own</summary>
      <div class="own">
        <div class="pair">
          <span class="narrow">Filter</span>
          <select
            :value="light.shadow.filter ?? ''"
            aria-label="Shadow filter of this light"
            @change="setFilter(($event.target as HTMLSelectElement).value)"
          >
            <option v-for="[value, text] in FILTERS" :key="value" :value="value">{{ text }}</option>
          </select>
        </div>
        <label v-for="key in ['resolution', 'slopeBias', 'normalOffset'] as const" :key="key" class="pair">
          <span class="narrow">{{
            { resolution: 'Map resolution', slopeBias: 'Slope bias', normalOffset: 'Normal offset' }[key]
          }}</span>
          <input
            :value="light.shadow[key] ?? ''"
            placeholder="as the recipe"
            inputmode="decimal"
            @change="setShadow(key, ($event.target as HTMLInputElement).value)"
          />
        </label>
      </div>
    </details>
    <p v-if="light.follows !== null" class="quiet narrow">
      Stands where the scene’s node “{{ light.follows || 'unnamed' }}” does, until it is moved here.
    </p>
  </div>
</template>

<style scoped>
.fields,
.own {
  display: flex;
  flex-direction: column;
  gap: 4px;
}
.head {
  display: flex;
  align-items: center;
  gap: 8px;
  padding-bottom: 2px;
}
.name {
  flex: 1;
  min-width: 0;
  font-size: 15px;
  font-weight: 650;
  border-bottom: 1px solid var(--line);
}
.pair {
  display: grid;
  grid-template-columns: 1fr 124px;
  align-items: center;
  gap: 6px;
}
.pair input,
.pair select {
  height: 24px;
  width: 100%;
  padding: 0 6px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
}
.pair select option {
  background: var(--sheet);
  color: var(--ink);
}
.pair input[type='color'] {
  padding: 2px;
}
.unset :deep(input) {
  border-style: dashed;
  color: var(--quiet);
}
.dial {
  display: flex;
  gap: 8px;
  align-items: center;
}
.dialed {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
  gap: 4px;
}
.dialed :deep(.field) {
  grid-template-columns: 1fr 60px 10px;
}
.check {
  display: flex;
  gap: 6px;
  align-items: center;
}
summary {
  cursor: pointer;
}
</style>
