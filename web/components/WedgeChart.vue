<script setup lang="ts">
/** Error over time of a wedge, both by factors: lines a setting, knees marked, one total dashed. */
import { LineChart } from 'echarts/charts';
import { GridComponent, LegendComponent, TooltipComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';
import { onMounted, onUnmounted, ref, watch } from 'vue';
import { useTheme } from 'vuetify';
import type { Wedge } from '@daxel/api/schemas';
import { formatMs } from '../composables/format';
import { pointOf, sameTotals, wedgeLines } from '../composables/wedgeFigures';

const props = defineProps<{ wedge: Wedge; place: number; placeName: string; knee: number }>();
const emit = defineEmits<{ choose: [step: number] }>();
echarts.use([LineChart, GridComponent, LegendComponent, TooltipComponent, SVGRenderer]);

const box = ref<HTMLElement | null>(null);
const theme = useTheme();
let chart: echarts.ECharts | null = null;
const SHAPES = ['circle', 'rect', 'triangle', 'diamond', 'pin', 'arrow'];
const STROKES = ['solid', 'dashed', 'dotted'] as const;
/** FLIP below this is drawn as this: a picture without any difference has no logarithm. */
const LEAST = 0.0005;

function draw(): void {
  if (!chart) return;
  const { colors } = theme.current.value;
  const ink = String(colors['on-surface']);
  const accent = String(colors.primary);
  const line = 'rgba(128,128,128,0.35)';
  const data = (steps: number[]) =>
    steps.flatMap((i) => {
      const p = pointOf(props.wedge.steps[i], props.place);
      return p ? [{ value: [p.seconds, Math.max(LEAST, p.error)], step: i }] : [];
    });
  const lines = wedgeLines(props.wedge);
  const axis = {
    type: 'log' as const,
    axisLabel: { color: ink, fontFamily: 'Archivo Variable' },
    axisLine: { lineStyle: { color: line } },
    splitLine: { lineStyle: { color: line } },
    nameTextStyle: { color: ink, fontFamily: 'Archivo Variable' },
  };
  chart.setOption(
    {
      animation: false,
      textStyle: { fontFamily: 'Archivo Variable', color: ink },
      grid: { left: 52, right: 18, top: lines.length > 1 ? 34 : 14, bottom: 36 },
      legend: lines.length > 1 ? { top: 0, textStyle: { color: ink }, data: lines.map((l) => l.name) } : undefined,
      tooltip: {
        formatter: (p: { data: { step: number; value: [number, number] } }) =>
          `${props.wedge.steps[p.data.step].label}<br>${formatMs(p.data.value[0])}, FLIP ${p.data.value[1].toFixed(4)}`,
      },
      xAxis: { ...axis, name: 'seconds', nameLocation: 'middle', nameGap: 24 },
      yAxis: { ...axis, name: `FLIP, ${props.placeName}`, nameLocation: 'middle', nameGap: 40 },
      series: [
        ...lines.map((l, k) => ({
          type: 'line' as const,
          name: l.name || 'steps',
          data: data(l.steps).map((d) => ({
            ...d,
            symbolSize: d.step === props.knee ? 15 : 8,
            itemStyle: d.step === props.knee ? { color: '#C2410C' } : undefined,
          })),
          symbol: SHAPES[k % SHAPES.length],
          lineStyle: { color: accent, type: STROKES[k % STROKES.length], width: 1.5 },
          itemStyle: { color: accent },
        })),
        ...sameTotals(props.wedge).map(({ total, steps }) => ({
          type: 'line' as const,
          name: `one total, ${total}`,
          data: data(steps),
          symbol: 'none',
          silent: true,
          lineStyle: { color: ink, type: [2, 4] as [number, number], width: 1 },
          endLabel: { show: true, formatter: `total ${total}`, color: ink, fontSize: 12 },
        })),
      ],
    },
    { notMerge: true },
  );
}
let observer: ResizeObserver | undefined;
onMounted(() => {
  if (!box.value) return;
  chart = echarts.init(box.value, null, { renderer: 'svg' });
  chart.on('click', (p) => emit('choose', (p.data as { step: number }).step));
  observer = new ResizeObserver(() => chart?.resize());
  observer.observe(box.value);
  draw();
});
watch(() => [props.wedge, props.place, props.knee, theme.current.value], draw);
onUnmounted(() => {
  observer?.disconnect();
  chart?.dispose();
});
</script>

<template>
  <div
    ref="box"
    class="chart"
    role="img"
    :aria-label="`FLIP on the ${placeName} over time; the table below holds the same`"
  />
</template>

<style scoped>
.chart {
  width: 100%;
  height: 100%;
  min-height: 180px;
}
</style>
