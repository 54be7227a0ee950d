<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'

/** Desktops held by hour of the day: as it is in stone, as proposed in ink. */
const props = defineProps<{ now: readonly number[]; then: readonly number[]; label: string }>()
const box = ref<HTMLElement | null>(null)
const { width } = useElementSize(box)
const HEIGHT = 150
const wide = computed(() => Math.max(320, width.value))
const most = computed(() => Math.max(1, ...props.now, ...props.then))
const y = (value: number) => HEIGHT - (value / most.value) * (HEIGHT - 14)
const step = computed(() => wide.value / 24)
const line = (values: readonly number[]) =>
  values.map((value, hour) => `${hour ? 'L' : 'M'}${hour * step.value} ${y(value)} H${(hour + 1) * step.value - 2}`).join(' ')
</script>

<template>
  <div ref="box">
    <svg :width="wide" :height="HEIGHT + 20" role="img" :aria-label="label">
      <g v-for="(value, hour) in now" :key="hour">
        <rect :x="hour * step" :y="y(value)" :width="step - 2" :height="HEIGHT - y(value)" fill="var(--ghost)">
          <title>{{ String(hour).padStart(2, '0') }}:00: {{ Math.round(value) }} now, {{ Math.round(then[hour] ?? 0) }} proposed</title>
        </rect>
        <text v-if="hour % 3 === 0" :x="hour * step" :y="HEIGHT + 15" font-size="11.5" fill="var(--ink-2)">
          {{ String(hour).padStart(2, '0') }}:00
        </text>
      </g>
      <path :d="line(then)" fill="none" stroke="var(--ink)" stroke-width="2" />
    </svg>
  </div>
</template>
