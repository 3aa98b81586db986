<script setup lang="ts">
/** Flicker over the frames of a run: a line, the run before it dashed, and the line at which it is just noticed. */
import { LineChart } from 'echarts/charts';
import { GridComponent, MarkLineComponent, TooltipComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';
import { computed, onMounted, onUnmounted, ref, watch } from 'vue';
import { useTheme } from 'vuetify';
import type { Run } from '../stores/runs';

const props = defineProps<{ run: Run; before: Run | null; frame: number }>();
const emit = defineEmits<{ go: [frame: number] }>();
echarts.use([LineChart, GridComponent, MarkLineComponent, TooltipComponent, SVGRenderer]);

const LEFT = 46;
const RIGHT = 16;
const box = ref<HTMLElement | null>(null);
const theme = useTheme();
let chart: echarts.ECharts | null = null;

const points = (run: Run): [number, number][] =>
  Object.values(run.found)
    .sort((a, b) => a.frame - b.frame)
    .map((f) => [f.frame, f.index]);
/** Where the shown frame stands, as a share of the axis. */
const place = computed(() => {
  const { first, last } = props.run;
  return last > first ? Math.min(1, Math.max(0, (props.frame - first) / (last - first))) : 0;
});

function draw(): void {
  if (!chart) return;
  const { colors } = theme.current.value;
  const ink = String(colors['on-surface']);
  const accent = String(colors.primary);
  const line = 'rgba(128,128,128,0.35)';
  const text = { color: ink, fontFamily: 'Archivo Variable' };
  const { first, last } = props.run;
  chart.setOption(
    {
      animation: false,
      textStyle: text,
      grid: { left: LEFT, right: RIGHT, top: 10, bottom: 24 },
      tooltip: {
        trigger: 'axis',
        formatter: (p: { seriesName: string; data: [number, number] }[]) =>
          `frame ${p[0].data[0]}${p.map((s) => `<br>${s.seriesName} ${s.data[1].toFixed(2)}`).join('')}`,
      },
      xAxis: {
        type: 'value',
        min: first,
        max: last,
        minInterval: 1,
        // frame numbers are names: no thousands in them
        axisLabel: { ...text, formatter: (n: number) => String(n) },
        axisLine: { lineStyle: { color: line } },
        splitLine: { show: false },
      },
      yAxis: {
        type: 'value',
        min: 0,
        max: (v: { max: number }) => Math.max(1.5, Math.ceil(v.max * 1.1 * 2) / 2),
        axisLabel: { ...text, showMaxLabel: false },
        splitLine: { lineStyle: { color: line } },
      },
      series: [
        {
          type: 'line',
          name: 'this run',
          data: points(props.run),
          symbol: 'circle',
          symbolSize: 4,
          lineStyle: { color: ink, width: 1.5 },
          itemStyle: { color: ink },
          markLine: {
            silent: true,
            symbol: 'none',
            data: [{ yAxis: 1 }],
            lineStyle: { color: accent, type: 'dashed', width: 1 },
            label: {
              formatter: 'just noticed',
              position: 'insideStartTop',
              color: accent,
              fontFamily: 'Archivo Variable',
            },
          },
        },
        ...(props.before
          ? [
              {
                type: 'line' as const,
                name: 'run before',
                data: points(props.before).filter(([f]) => f >= first && f <= last),
                symbol: 'none',
                lineStyle: { color: ink, type: 'dashed' as const, width: 1, opacity: 0.7 },
                itemStyle: { color: ink },
              },
            ]
          : []),
      ],
    },
    { notMerge: true },
  );
}
function pick(event: MouseEvent): void {
  const rect = box.value?.getBoundingClientRect();
  if (!rect) return;
  const { first, last } = props.run;
  const share = (event.clientX - rect.left - LEFT) / Math.max(1, rect.width - LEFT - RIGHT);
  emit('go', Math.round(first + Math.min(1, Math.max(0, share)) * (last - first)));
}
let observer: ResizeObserver | undefined;
onMounted(() => {
  if (!box.value) return;
  chart = echarts.init(box.value, null, { renderer: 'svg' });
  observer = new ResizeObserver(() => chart?.resize());
  observer.observe(box.value);
  draw();
});
watch(() => [props.run, props.before, theme.current.value], draw);
onUnmounted(() => {
  observer?.disconnect();
  chart?.dispose();
});
</script>

<template>
  <div class="trace" @click="pick">
    <div
      ref="box"
      class="chart"
      role="img"
      aria-label="Flicker by frame, 1 is just noticed; the table of worst places holds the strongest"
    />
    <div class="head" :style="{ left: `calc(${LEFT}px + (100% - ${LEFT + RIGHT}px) * ${place})` }" />
  </div>
</template>

<style scoped>
.trace {
  position: relative;
  flex: 1;
  min-width: 0;
  cursor: pointer;
}
.chart {
  position: absolute;
  inset: 0;
}
.head {
  position: absolute;
  top: 8px;
  bottom: 24px;
  width: 1px;
  background: var(--ink);
  pointer-events: none;
}
</style>
