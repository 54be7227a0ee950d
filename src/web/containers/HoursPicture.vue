<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { SharePage } from '../../contract/shares'

/** Logons from a share by hour of the day, and its latency as a line above them. */
const props = defineProps<{ hours: SharePage['hours'] }>()
const box = ref<HTMLElement | null>(null)
const { width } = useElementSize(box)
const HEIGHT = 110
const wide = computed(() => Math.max(320, width.value))
const most = computed(() => Math.max(1, ...props.hours.map(({ logons }) => logons)))
const slowest = computed(() => Math.max(1, ...props.hours.map(({ latencyMs }) => latencyMs ?? 0)))
const bars = computed(() =>
  props.hours.map(({ hour, logons, latencyMs }) => ({
    hour,
    x: (hour * wide.value) / 24,
    width: wide.value / 24 - 3,
    height: (logons / most.value) * HEIGHT,
    words: `${String(hour).padStart(2, '0')}:00: ${logons < 10 ? logons.toFixed(1) : Math.round(logons)} logons a day${latencyMs === null ? '' : `, latency ${latencyMs.toFixed(1)} ms`}`,
  })),
)
const line = computed(() =>
  props.hours
    .filter(({ latencyMs }) => latencyMs !== null)
    .map(
      ({ hour, latencyMs }, i) => `${i ? 'L' : 'M'}${((hour + 0.5) * wide.value) / 24} ${HEIGHT - ((latencyMs ?? 0) / slowest.value) * HEIGHT * 0.9}`,
    )
    .join(' '),
)
const busiest = computed(() => [...props.hours].sort((a, b) => b.logons - a.logons)[0])
</script>

<template>
  <div ref="box">
    <svg
      :width="wide"
      :height="HEIGHT + 20"
      role="img"
      :aria-label="`Most logons between ${busiest?.hour} and ${(busiest?.hour ?? 0) + 1} o’clock: ${Math.round(busiest?.logons ?? 0)} a day`"
    >
      <rect v-for="bar in bars" :key="bar.hour" :x="bar.x" :y="HEIGHT - bar.height" :width="bar.width" :height="bar.height" fill="var(--ghost)">
        <title>{{ bar.words }}</title>
      </rect>
      <path :d="line" fill="none" stroke="var(--ochre)" stroke-width="1.6" />
      <template v-for="bar in bars" :key="`t${bar.hour}`">
        <text v-if="bar.hour % 3 === 0" :x="bar.x" :y="HEIGHT + 15" font-size="11.5" fill="var(--ink-2)">
          {{ String(bar.hour).padStart(2, '0') }}:00
        </text>
      </template>
    </svg>
    <p class="small quiet">Bars: logons a day, {{ Math.round(most) }} at most. Ochre: latency, {{ slowest.toFixed(1) }} ms at most.</p>
  </div>
</template>
