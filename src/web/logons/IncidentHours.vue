<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { IncidentPage } from '../../contract/logons'
import { clock, day, plural } from '../kit/format'

/** Hour by hour at the incident's place: how many logged on, and in ink how many of them had it. */
const props = defineProps<{ incident: IncidentPage; doneMs: number | null }>()
const holder = ref<HTMLElement | null>(null)
const { width } = useElementSize(holder, { width: 860, height: 0 })
const HEIGHT = 120
const BASE = 96
const LEFT = 34
/** A day below the picture is about so wide. */
const TICK = 60
/** A letter of a word beside a line is about so wide. */
const LETTER = 5.3

const step = computed(() => Math.max(1, Math.ceil(props.incident.hours.length / 180)))
const bars = computed(() => {
  const joined: { atMs: number; n: number; hit: number }[] = []
  props.incident.hours.forEach(({ atMs, n, hit }, i) => {
    const last = joined.at(-1)
    if (i % step.value === 0 || !last) joined.push({ atMs, n, hit })
    else {
      last.n += n
      last.hit += hit
    }
  })
  const most = Math.max(1, ...joined.map(({ n }) => n))
  const slot = (Math.max(200, width.value) - LEFT) / joined.length
  return {
    most,
    slot,
    list: joined.map((one, i) => ({ ...one, x: LEFT + i * slot, all: (one.n / most) * (BASE - 14), had: (one.hit / most) * (BASE - 14) })),
  }
})
const spanMs = computed(() => props.incident.hours.length * 3_600_000)
const firstMs = computed(() => props.incident.hours[0]?.atMs ?? 0)
const x = (ms: number) => LEFT + ((ms - firstMs.value) / Math.max(1, spanMs.value)) * (Math.max(200, width.value) - LEFT)
const ticks = computed(() => {
  const every = [3_600_000, 4 * 3_600_000, 86_400_000, 5 * 86_400_000].find((ms) => spanMs.value / ms <= 10) ?? 5 * 86_400_000
  return bars.value.list
    .filter((bar) => bar.atMs % every < step.value * 3_600_000 && bar.x + TICK < Math.max(200, width.value))
    .map((bar) => ({ x: bar.x, text: every >= 86_400_000 ? day(bar.atMs) : clock(bar.atMs) }))
})
/** Each word beside its line, and below those that it would cover. */
const moments = computed(() => {
  const { change, worse } = props.incident
  const all = [
    ...(change ? [{ ms: change.atMs, word: 'change', colour: 'var(--indigo)' }] : []),
    ...(worse ? [{ ms: worse.sinceMs, word: 'far worse', colour: 'var(--ochre)' }] : []),
    ...(props.doneMs === null ? [] : [{ ms: props.doneMs, word: 'done', colour: 'var(--moss)' }]),
  ]
  const ends: number[] = []
  return all
    .sort((a, b) => a.ms - b.ms)
    .map((one) => {
      const at = x(one.ms)
      const wide = 6 + LETTER * one.word.length
      // At the right edge it stands before its line.
      const isLast = at + wide > width.value
      const free = ends.findIndex((end) => end < (isLast ? at - wide : at))
      const row = free < 0 ? ends.length : free
      ends[row] = isLast ? at : at + wide
      return { ...one, at, row, isLast }
    })
})
const words = computed(() => {
  const hit = props.incident.hours.reduce((sum, one) => sum + one.hit, 0)
  const n = props.incident.hours.reduce((sum, one) => sum + one.n, 0)
  return `${hit} of ${n} logons at its place had it, hour by hour`
})
</script>

<template>
  <div ref="holder">
    <svg :width="width" :height="HEIGHT" font-size="11.5" role="img" :aria-label="words">
      <text :x="LEFT - 6" :y="18" text-anchor="end" fill="var(--stone)">{{ bars.most }}</text>
      <line :x1="LEFT" :x2="width" :y1="BASE" :y2="BASE" stroke="var(--hair)" />
      <RouterLink
        v-for="bar in bars.list"
        :key="bar.atMs"
        :to="{
          path: '/logons',
          query: {
            ...Object.fromEntries(incident.scope.map(({ dimension, value }) => [dimension, value])),
            from: bar.atMs,
            to: bar.atMs + step * 3_600_000,
          },
        }"
        tabindex="-1"
      >
        <rect :x="bar.x" :y="BASE - bar.all" :width="Math.max(1, bars.slot - 1)" :height="bar.all" fill="var(--ghost)" />
        <rect
          :x="bar.x"
          :y="BASE - bar.had"
          :width="Math.max(1, bars.slot - 1)"
          :height="bar.had"
          :fill="incident.failed > incident.attempts / 2 ? 'var(--madder)' : 'var(--ochre)'"
        />
        <rect :x="bar.x" :y="8" :width="bars.slot" :height="BASE - 8" fill="transparent">
          <title>{{ day(bar.atMs) }} {{ clock(bar.atMs) }}: {{ bar.hit }} of {{ plural(bar.n, 'logon') }} had it</title>
        </rect>
      </RouterLink>
      <g v-for="one in moments" :key="one.word">
        <line :x1="one.at" :x2="one.at" :y1="6 + 13 * one.row" :y2="BASE" :stroke="one.colour" stroke-width="1.4" />
        <text :x="one.isLast ? one.at - 4 : one.at + 4" :text-anchor="one.isLast ? 'end' : 'start'" :y="13 + 13 * one.row" :fill="one.colour">
          {{ one.word }}
        </text>
      </g>
      <text v-for="tick in ticks" :key="tick.x" :x="tick.x" :y="HEIGHT - 8" fill="var(--stone)">{{ tick.text }}</text>
    </svg>
    <p class="small quiet">
      Pale: logons {{ incident.scope.length ? 'there' : '' }} {{ step === 1 ? 'an hour' : `in ${step} hours` }}; coloured: those that had it.
    </p>
  </div>
</template>

<style scoped>
svg {
  display: block;
}
</style>
