<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { Pictures } from '../../contract/compare'
import { clock, day, duration, plural } from '../kit/format'
import { timeTicks } from '../kit/ticks'
import PictureExport from '../kit/PictureExport.vue'

/** Mean time in each phase, stacked, hour by hour. Phases are told by their place and name; the chosen one stands on the ground. */
const props = defineProps<{ pictures: Pictures }>()
const holder = ref<HTMLElement | null>(null)
const picture = ref<SVGSVGElement | null>(null)
const { width } = useElementSize(holder, { width: 860, height: 0 })
const HEIGHT = 210
const BASE = 182
const LEFT = 44
const RIGHT = 92
const chosen = ref<string | null>(null)

const columns = computed(() => props.pictures.phases.columns.filter(({ n }) => n > 0))
const shown = computed(() => {
  const { names } = props.pictures.phases
  const used = names
    .map((name, i) => ({ name, i, ms: columns.value.reduce((sum, { n, meanMs }) => sum + n * (meanMs[i] ?? 0), 0) }))
    .filter(({ ms }) => ms > 0)
  return [...used].sort((a, b) => Number(b.name === chosen.value) - Number(a.name === chosen.value))
})
const topMs = computed(() => {
  const totals = columns.value.map(({ meanMs }) => meanMs.reduce((sum, ms) => sum + ms, 0)).sort((a, b) => a - b)
  return Math.max(5000, (totals[Math.floor(totals.length * 0.98)] ?? 0) * 1.15)
})
const spanMs = computed(() => Math.max(1, props.pictures.toMs - props.pictures.fromMs))
const x = (ms: number) => LEFT + ((ms - props.pictures.fromMs) / spanMs.value) * (Math.max(300, width.value) - LEFT - RIGHT)
const y = (ms: number) => BASE - Math.min(1.05, ms / topMs.value) * (BASE - 12)
const TONES = ['.85', '.62', '.42', '.26']
const bars = computed(() =>
  columns.value.map((column) => {
    let sum = 0
    const parts = shown.value.map(({ name, i }, rank) => {
      const from = sum
      sum += column.meanMs[i] ?? 0
      return { name, y: y(sum), height: Math.max(0, y(from) - y(sum)), rank }
    })
    const left = Math.max(LEFT, x(column.atMs))
    // The first and the last hour may reach beyond the window.
    const right = x(Math.min(props.pictures.toMs, column.atMs + props.pictures.phases.stepMs))
    return { column, parts, x: left, width: Math.max(1, right - left - 0.6), sum }
  }),
)
/** Names stand at the height of their stretch in the last bar, kept apart. */
const labels = computed(() => {
  const last = bars.value.at(-1)
  let floor = BASE + 6
  return (last?.parts ?? []).map((part) => {
    const at = Math.min(floor - 12, part.y + part.height / 2 + 4)
    floor = at
    return { ...part, at: Math.max(10, at) }
  })
})
const lines = computed(() =>
  [5000, 10_000, 15_000, 20_000, 30_000, 45_000, 60_000].filter(
    (ms) => ms < topMs.value && (topMs.value < 25_000 || ms % 10_000 === 0 || ms === 45_000),
  ),
)
const ticks = computed(() => timeTicks(props.pictures.fromMs, props.pictures.toMs, 8).map(({ atMs, text }) => ({ x: x(atMs), text })))
const tone = (name: string, rank: number) => (chosen.value === name ? '1' : (TONES[rank % TONES.length] ?? '.5'))
const csv = () =>
  columns.value.map(({ atMs, n, meanMs }) => ({
    at: new Date(atMs).toISOString(),
    logons: n,
    ...Object.fromEntries(props.pictures.phases.names.map((name, i) => [`${name}Ms`, meanMs[i] ?? 0])),
  }))
</script>

<template>
  <div ref="holder">
    <p v-if="columns.length === 0" class="quiet">No hour of this window has logons in its roll-up yet.</p>
    <svg v-else ref="picture" :width="width" :height="HEIGHT" font-size="11.5" role="img" aria-label="Mean time in each phase, hour by hour">
      <g v-for="ms in lines" :key="ms">
        <line :x1="LEFT" :x2="width - RIGHT" :y1="y(ms)" :y2="y(ms)" stroke="var(--hair)" />
        <text :x="LEFT - 6" :y="y(ms) + 4" text-anchor="end" fill="var(--stone)">{{ duration(ms).replace('.0', '') }}</text>
      </g>
      <RouterLink
        v-for="bar in bars"
        :key="bar.column.atMs"
        :to="{ path: '/logons', query: { from: bar.column.atMs, to: bar.column.atMs + pictures.phases.stepMs, sort: 'total' } }"
        tabindex="-1"
      >
        <rect
          v-for="part in bar.parts"
          :key="part.name"
          :x="bar.x"
          :y="part.y"
          :width="bar.width"
          :height="part.height"
          :fill="chosen === part.name ? 'var(--indigo)' : 'var(--stone)'"
          :opacity="tone(part.name, part.rank)"
        />
        <rect :x="bar.x" :y="8" :width="bar.width" :height="BASE - 8" fill="transparent">
          <title>
            {{ day(bar.column.atMs) }} {{ clock(bar.column.atMs) }}: {{ plural(bar.column.n, 'logon') }}, {{ duration(bar.sum) }} in the mean{{
              chosen ? `, ${duration(bar.column.meanMs[pictures.phases.names.indexOf(chosen)] ?? 0)} of it ${chosen}` : ''
            }}
          </title>
        </rect>
      </RouterLink>
      <text
        v-for="label in labels"
        :key="label.name"
        :x="width - RIGHT + 8"
        :y="label.at"
        :fill="chosen === label.name ? 'var(--indigo)' : 'var(--ink-2)'"
        :font-weight="chosen === label.name ? 600 : 400"
        class="name"
        role="button"
        tabindex="0"
        @click="chosen = chosen === label.name ? null : label.name"
        @keydown.enter="chosen = chosen === label.name ? null : label.name"
      >
        {{ label.name }}
      </text>
      <text v-for="tick in ticks" :key="tick.x" :x="tick.x" :y="HEIGHT - 8" fill="var(--stone)">{{ tick.text }}</text>
    </svg>
    <p class="small quiet">Choose a phase by its name to put it on the ground line. <PictureExport name="phases" :picture="picture" :rows="csv" /></p>
  </div>
</template>

<style scoped>
svg {
  display: block;
}
.name {
  cursor: pointer;
}
</style>
