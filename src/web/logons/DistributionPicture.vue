<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { bucketFromMs, BUCKETS, type Cohort } from '../../contract/compare'
import { duration } from '../kit/format'
import PictureExport from '../kit/PictureExport.vue'

/** How long logons of each cohort take: a row for each, its share of logons by duration, and its median. */
const props = defineProps<{ cohorts: readonly Cohort[]; titleOf: (id: string) => string }>()
const holder = ref<HTMLElement | null>(null)
const picture = ref<SVGSVGElement | null>(null)
const { width } = useElementSize(holder, { width: 860, height: 0 })
const ROW = 66
const LEFT = 8
const last = computed(() => Math.max(16, ...props.cohorts.map(({ buckets }) => buckets.findLastIndex((n) => n > 0) + 2)))
const x = (bucket: number) => LEFT + (bucket / last.value) * (Math.max(240, width.value) - 2 * LEFT)
const at = (ms: number) => x(Math.max(0, Math.log(Math.max(ms, 1) / 2000) / Math.log(1.15)))
const rows = computed(() =>
  props.cohorts.map((cohort, i) => {
    const sum = cohort.buckets.reduce((total, n) => total + n, 0)
    const most = Math.max(1, ...cohort.buckets)
    const base = (i + 1) * ROW - 10
    const points = cohort.buckets
      .slice(0, last.value)
      .map((n, bucket) => `L${x(bucket).toFixed(1)} ${(base - (n / most) * 38).toFixed(1)}H${x(bucket + 1).toFixed(1)}`)
    return { cohort, base, sum, path: `M${x(0)} ${base}${points.join('')}V${base}Z` }
  }),
)
const ticks = [3000, 6000, 12_000, 25_000, 50_000, 100_000, 200_000, 400_000]
const csv = () =>
  Array.from({ length: BUCKETS }, (_, bucket) => ({
    fromMs: Math.round(bucketFromMs(bucket)),
    ...Object.fromEntries(props.cohorts.map((cohort) => [props.titleOf(cohort.id), cohort.buckets[bucket] ?? 0])),
  }))
</script>

<template>
  <div ref="holder">
    <svg
      ref="picture"
      :width="width"
      :height="cohorts.length * ROW + 22"
      font-size="11.5"
      role="img"
      :aria-label="cohorts.map((c) => `${titleOf(c.id)}: median ${duration(c.medianMs)}`).join('; ')"
    >
      <g v-for="row in rows" :key="row.cohort.id">
        <text :x="LEFT" :y="row.base - 42" fill="var(--ink-2)">
          {{ titleOf(row.cohort.id) }}: median {{ duration(row.cohort.medianMs) }}, middle 80 % {{ duration(row.cohort.lowMs) }} to
          {{ duration(row.cohort.highMs) }}
        </text>
        <path :d="row.path" fill="var(--ghost)" stroke="var(--stone)" stroke-width=".7" />
        <line
          v-if="row.sum"
          :x1="at(row.cohort.medianMs)"
          :x2="at(row.cohort.medianMs)"
          :y1="row.base - 38"
          :y2="row.base"
          stroke="var(--ink)"
          stroke-width="1.6"
        />
      </g>
      <g v-for="ms in ticks" :key="ms">
        <text v-if="at(ms) < width - 30" :x="at(ms)" :y="cohorts.length * ROW + 12" text-anchor="middle" fill="var(--stone)">
          {{ duration(ms).replace('.0', '') }}
        </text>
      </g>
    </svg>
    <PictureExport name="distribution" :picture="picture" :rows="csv" />
  </div>
</template>

<style scoped>
svg {
  display: block;
}
</style>
