<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { OUTCOMES } from '../../core/logons/attempt'
import type { Today } from '../../contract/logons'
import { clock, duration } from '../kit/format'
import { timeTicks } from '../kit/ticks'

/** All logons of the window against the usual band. Height is time, on a log scale; what cost time stands out. */
const props = defineProps<{ today: Today }>()
const holder = ref<HTMLElement | null>(null)
const { width } = useElementSize(holder, { width: 880, height: 0 })
const LEFT = 48
const HEIGHT = 226
const BOTTOM = 190
const TOP = 22

const topMs = computed(() => Math.max(150_000, ...props.today.dots.totalMs))
const x = (atMs: number) => LEFT + ((atMs - props.today.fromMs) / (props.today.toMs - props.today.fromMs)) * Math.max(100, width.value - LEFT - 8)
const y = (ms: number) => BOTTOM - (Math.log(Math.max(4000, ms) / 4000) / Math.log(topMs.value / 4000)) * (BOTTOM - TOP)
const round = (n: number) => Math.round(n * 10) / 10

const lines = computed(() => [8_000, 16_000, 30_000, 60_000, 120_000, 300_000, 900_000, 3_600_000, 14_400_000].filter((ms) => ms < topMs.value))
const dots = computed(() => {
  const { atMs, totalMs, outcome, id } = props.today.dots
  return atMs.map((at, i) => ({
    id: id[i] ?? '',
    x: round(x(at)),
    y: round(y(totalMs[i] ?? 0)),
    ms: totalMs[i] ?? 0,
    at,
    outcome: OUTCOMES[outcome[i] ?? 0] ?? 'ready',
  }))
})
/** Ready ones are one path: thousands of them stay quick. */
const ready = computed(() =>
  dots.value
    .filter((dot) => dot.outcome === 'ready')
    .map((dot) => `M${dot.x} ${dot.y}h.01`)
    .join(''),
)
const slow = computed(() => dots.value.filter((dot) => dot.outcome === 'slow' || dot.outcome === 'degraded'))
const failed = computed(() => dots.value.filter((dot) => dot.outcome === 'failed'))
const band = computed(() => {
  const hours = props.today.band.filter(({ n }) => n > 0)
  if (hours.length < 2) return ''
  const step = (props.today.band[1]?.atMs ?? 0) - (props.today.band[0]?.atMs ?? 0)
  const points = hours.map(({ atMs, lowMs, highMs }) => ({
    x: round(Math.max(LEFT, x(atMs + step / 2))),
    low: round(y(lowMs)),
    high: round(y(highMs)),
  }))
  const [first, last] = [points[0], points.at(-1)]
  return `M${LEFT} ${first?.high}${points.map((p) => `L${p.x} ${p.high}`).join('')}L${round(x(props.today.toMs))} ${last?.high}V${last?.low}${points
    .toReversed()
    .map((p) => `L${p.x} ${p.low}`)
    .join('')}L${LEFT} ${first?.low}Z`
})
/** Which hours the band was taken from, in words. */
const basis = computed(() => {
  const used = new Set(props.today.band.filter(({ n }) => n > 0).map((hour) => hour.basis))
  if (!used.has('weekday')) return used.has('like days') ? 'of the same hour on like days' : 'of the same hour'
  return used.size === 1 ? 'of the same weekday and hour' : 'of the same weekday and hour, or of like days,'
})
const ticks = computed(() =>
  timeTicks(props.today.fromMs, props.today.toMs, 10)
    .map(({ atMs, text }) => ({ x: x(atMs), text }))
    .filter((tick) => tick.x < width.value - 36),
)
</script>

<template>
  <div ref="holder">
    <svg
      :width="width"
      :height="HEIGHT"
      :viewBox="`0 0 ${width} ${HEIGHT}`"
      font-size="11.5"
      role="img"
      :aria-label="`${today.logons} logons over time; ${failed.length} failed, ${slow.length} slow or on a temporary profile`"
    >
      <path :d="band" fill="var(--ghost)" opacity=".6" />
      <g v-for="ms in lines" :key="ms">
        <line :x1="LEFT" :x2="width" :y1="y(ms)" :y2="y(ms)" stroke="var(--hair)" />
        <text :x="LEFT - 8" :y="y(ms) + 4" text-anchor="end" fill="var(--stone)">{{ duration(ms).replace('.0', '').replace(' 00 min', '') }}</text>
      </g>
      <path :d="ready" stroke="var(--ink)" stroke-width="3" stroke-linecap="round" opacity=".32" />
      <RouterLink v-for="dot in slow" :key="dot.id" :to="`/logons/${encodeURIComponent(dot.id)}`" tabindex="-1">
        <path
          :d="dot.outcome === 'slow' ? `M${dot.x} ${dot.y + 5}v-4c0-2 1-3 2.500-4` : `M${dot.x} ${dot.y + 5}v-9`"
          :stroke="dot.outcome === 'slow' ? 'var(--ochre)' : 'var(--plum)'"
          :stroke-dasharray="dot.outcome === 'degraded' ? '1.500 2.500' : undefined"
          stroke-width="1.8"
          fill="none"
          stroke-linecap="round"
        >
          <title>{{ dot.outcome }}, {{ clock(dot.at) }}, {{ duration(dot.ms) }}</title>
        </path>
      </RouterLink>
      <RouterLink v-for="dot in failed" :key="dot.id" :to="`/logons/${encodeURIComponent(dot.id)}`" tabindex="-1">
        <path :d="`M${dot.x} ${dot.y + 5}v-5m.5-2.500 3-4.500`" stroke="var(--madder)" stroke-width="1.9" fill="none" stroke-linecap="round">
          <title>failed, {{ clock(dot.at) }}, after {{ duration(dot.ms) }}</title>
        </path>
      </RouterLink>
      <g v-for="tick in ticks" :key="tick.x">
        <line :x1="tick.x" :x2="tick.x" :y1="BOTTOM + 2" :y2="BOTTOM + 7" stroke="var(--stone)" />
        <text :x="tick.x" :y="BOTTOM + 20" fill="var(--stone)">{{ tick.text }}</text>
      </g>
    </svg>
    <p class="legend small">
      <template v-if="band"><span class="swatch" aria-hidden="true" /> usual band: the middle 80 % {{ basis }} in the four weeks before</template
      ><template v-else>Nothing is known of the four weeks before: there is no usual band.</template>
      <template v-if="today.dots.id.length < today.dots.shownOf">
        · {{ today.dots.id.length.toLocaleString('en-GB') }} of {{ today.dots.shownOf.toLocaleString('en-GB') }} drawn</template
      >
    </p>
  </div>
</template>

<style scoped>
svg {
  display: block;
  overflow: visible;
}
.legend {
  color: var(--stone);
  margin: 0;
  padding-left: 48px;
}
.swatch {
  display: inline-block;
  width: 18px;
  height: 9px;
  background: var(--ghost);
  vertical-align: 0;
}
</style>
