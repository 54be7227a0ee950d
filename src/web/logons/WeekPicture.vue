<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { Pictures } from '../../contract/compare'
import { duration, plural, timeZone } from '../kit/format'
import PictureExport from '../kit/PictureExport.vue'

/** Weekdays by hours: the paler disc is how many log on, the darker one in it how many of them lost time. */
const props = defineProps<{ pictures: Pictures }>()
const holder = ref<HTMLElement | null>(null)
const picture = ref<SVGSVGElement | null>(null)
const { width } = useElementSize(holder, { width: 860, height: 0 })
const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']
const LEFT = 38
const cell = computed(() => (Math.max(300, width.value) - LEFT) / 24)
const most = computed(() => Math.max(1, ...props.pictures.week.map(({ n }) => n)))
const cells = computed(() =>
  props.pictures.week.map((one, slot) => {
    const radius = (n: number) => (n === 0 ? 0 : Math.max(1.2, Math.sqrt(n / most.value) * Math.min(13, cell.value / 2 - 1)))
    return {
      ...one,
      slot,
      x: LEFT + ((slot % 24) + 0.5) * cell.value,
      y: 18 + Math.floor(slot / 24) * 28,
      all: radius(one.n),
      lost: radius(one.bad),
      words: `${DAYS[Math.floor(slot / 24)]} ${String(slot % 24).padStart(2, '0')}:00: ${plural(one.n, 'logon')}, ${one.bad} lost time${one.medianMs === null ? '' : `, median ${duration(one.medianMs)}`}`,
    }
  }),
)
const csv = () =>
  props.pictures.week.map((one, slot) => ({
    day: DAYS[Math.floor(slot / 24)],
    hour: slot % 24,
    logons: one.n,
    lostTime: one.bad,
    medianMs: one.medianMs ?? '',
  }))
/** The last such hour of the window. */
function stretchOf(slot: number): { from: number; to: number } {
  const hours = props.pictures.phases.columns
  const weekMs = 7 * 86_400_000
  const anchor = Math.floor(props.pictures.toMs / 3_600_000) * 3_600_000
  for (let back = 0; back * 3_600_000 < Math.max(weekMs, props.pictures.toMs - props.pictures.fromMs); back++) {
    const at = anchor - back * 3_600_000
    if (slotAt(at) === slot) return { from: at, to: at + 3_600_000 }
  }
  return { from: hours[0]?.atMs ?? anchor, to: anchor }
}
const weekday = computed(() => new Intl.DateTimeFormat('en-GB', { timeZone: timeZone.value, weekday: 'short', hour: '2-digit', hourCycle: 'h23' }))
function slotAt(ms: number): number {
  const parts = weekday.value.formatToParts(ms)
  return DAYS.indexOf(parts.find(({ type }) => type === 'weekday')?.value ?? '') * 24 + Number(parts.find(({ type }) => type === 'hour')?.value ?? 0)
}
</script>

<template>
  <div ref="holder">
    <svg ref="picture" :width="width" :height="228" font-size="11.5" role="img" aria-label="Logons and lost time by weekday and hour">
      <text v-for="(day, i) in DAYS" :key="day" :x="0" :y="22 + i * 28" fill="var(--ink-2)">{{ day }}</text>
      <template v-for="hour in 24" :key="hour">
        <text v-if="(hour - 1) % 3 === 0" :x="LEFT + (hour - 0.5) * cell" :y="222" text-anchor="middle" fill="var(--stone)">
          {{ String(hour - 1).padStart(2, '0') }}
        </text>
      </template>
      <RouterLink v-for="one in cells" :key="one.slot" :to="{ path: '/logons', query: stretchOf(one.slot) }" tabindex="-1">
        <circle :cx="one.x" :cy="one.y" :r="one.all" fill="var(--ghost)" />
        <circle :cx="one.x" :cy="one.y" :r="one.lost" fill="var(--ochre)" />
        <rect :x="one.x - cell / 2" :y="one.y - 14" :width="cell" height="28" fill="transparent">
          <title>{{ one.words }}</title>
        </rect>
      </RouterLink>
    </svg>
    <p class="small quiet">
      Pale: logons, {{ most }} at most; ochre: those that lost time. A disc leads to the last such hour.
      <PictureExport name="week" :picture="picture" :rows="csv" />
    </p>
  </div>
</template>

<style scoped>
svg {
  display: block;
}
</style>
