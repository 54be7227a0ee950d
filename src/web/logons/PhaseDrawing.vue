<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { Story } from '../../contract/logons'
import { duration } from '../kit/format'
import { drawPhases } from './drawing'

/** One attempt over time: strokes for phases, ghosts for their usual, marks with codes, and below where the time went. */
const props = defineProps<{ story: Story }>()
const holder = ref<HTMLElement | null>(null)
const { width } = useElementSize(holder, { width: 880, height: 0 })
const LEFT = 104
const ROW = 40
const drawing = computed(() => drawPhases(props.story))
const x = (ms: number) => LEFT + (ms / drawing.value.spanMs) * Math.max(100, width.value - LEFT - 12)
const blameTop = computed(() => 44 + drawing.value.rows.length * ROW + 14)
const ticks = computed(() => {
  const step = [1000, 2000, 5000, 10_000, 20_000, 30_000, 60_000, 300_000, 1_800_000].find((ms) => drawing.value.spanMs / ms <= 7) ?? 3_600_000
  return Array.from({ length: Math.floor(drawing.value.spanMs / step) + 1 }, (_, i) => i * step)
})
const shade = (index: number) => 0.38 + 0.13 * (index % 4)
const colour = (late: boolean) => (late ? (props.story.outcome === 'failed' ? 'var(--madder)' : 'var(--ochre)') : 'var(--ink)')
</script>

<template>
  <div ref="holder">
    <svg :width="width" :height="blameTop + 66" font-size="13" role="img" :aria-label="drawing.words">
      <g v-for="ms in ticks" :key="ms">
        <line :x1="x(ms)" :x2="x(ms)" y1="10" :y2="blameTop - 16" stroke="var(--hair)" />
        <text :x="x(ms) + 3" y="19" fill="var(--stone)" font-size="11">{{ ms === 0 ? '0' : duration(ms) }}</text>
      </g>
      <g v-for="gap in drawing.gaps" :key="gap.fromMs">
        <path :d="`M${x(gap.fromMs)} ${blameTop - 8}V34M${x(gap.toMs)} ${blameTop - 8}V34`" stroke="var(--stone)" stroke-dasharray="2 3" />
        <text :x="(x(gap.fromMs) + x(gap.toMs)) / 2" y="34" text-anchor="middle" fill="var(--stone)" font-size="11" class="halo">
          no record, {{ duration(gap.toMs - gap.fromMs) }}
        </text>
      </g>
      <g v-for="(row, index) in drawing.rows" :key="row.phase" :transform="`translate(0 ${44 + index * ROW})`">
        <text :x="LEFT - 14" y="5" text-anchor="end" :fill="row.excess ? colour(true) : 'var(--ink)'" :font-weight="row.excess ? 650 : 450">
          {{ row.phase }}
        </text>
        <line
          v-if="row.usualMs > 0"
          :x1="x(row.startMs)"
          :x2="x(Math.min(drawing.spanMs, row.startMs + row.usualMs))"
          y1="9"
          y2="9"
          stroke="var(--ghost)"
          stroke-width="5"
          stroke-linecap="round"
        >
          <title>usual {{ duration(row.usualMs) }}</title>
        </line>
        <line
          v-for="(stroke, i) in row.strokes"
          :key="i"
          :x1="x(stroke.startMs)"
          :x2="Math.max(x(stroke.endMs), x(stroke.startMs) + 2)"
          y1="0"
          y2="0"
          :stroke="stroke.beside ? 'var(--stone)' : colour(row.excess !== null)"
          :stroke-width="row.excess ? 7 : 5"
          stroke-linecap="round"
          :stroke-dasharray="stroke.ended ? undefined : '1 9'"
        >
          <title>{{ row.phase }}, {{ duration(stroke.endMs - stroke.startMs) }}{{ stroke.beside ? ', ran beside' : '' }}</title>
        </line>
        <g v-for="(mark, i) in row.marks" :key="`m${i}`">
          <path :d="`M${x(mark.atMs)} -7v-7m-3 0h6`" :stroke="mark.fails ? 'var(--madder)' : 'var(--stone)'" stroke-width="1.6" fill="none" />
          <title>{{ mark.words }}</title>
        </g>
        <text
          :x="row.labelBefore ? x(row.endMs) : x(row.endMs) + 10"
          :y="row.labelBefore ? 25 : 5"
          :text-anchor="row.labelBefore ? 'end' : 'start'"
          fill="var(--ink-2)"
          class="halo"
        >
          {{ row.label }}
        </text>
      </g>
      <text :x="LEFT - 14" :y="blameTop + 14" text-anchor="end" fill="var(--ink-2)">where it went</text>
      <g v-for="(piece, index) in drawing.blame" :key="piece.fromMs">
        <rect
          :x="x(piece.fromMs) + 0.5"
          :y="blameTop"
          :width="Math.max(1, x(piece.toMs) - x(piece.fromMs) - 1)"
          height="18"
          :fill="piece.phase === 'unrecorded' ? 'none' : colour(piece.late)"
          :stroke="piece.phase === 'unrecorded' ? 'var(--stone)' : 'none'"
          stroke-dasharray="2 3"
          :opacity="piece.late || piece.phase === 'unrecorded' ? 1 : shade(index)"
        >
          <title>{{ piece.phase }}, {{ duration(piece.toMs - piece.fromMs) }}</title>
        </rect>
        <text
          v-if="x(piece.toMs) - x(piece.fromMs) > 8 * piece.label.length"
          :x="x(piece.fromMs) + 8"
          :y="blameTop + 13.5"
          :fill="piece.phase === 'unrecorded' ? 'var(--stone)' : 'var(--paper)'"
          font-size="12"
          :font-weight="piece.late ? 600 : 450"
        >
          {{ piece.label }}
        </text>
      </g>
      <text :x="x(0)" :y="blameTop + 38" fill="var(--stone)" font-size="11.5">{{ drawing.sum }}</text>
      <text v-if="drawing.ghosts" :x="x(0)" :y="blameTop + 54" fill="var(--stone)" font-size="11.5">
        {{ drawing.ghosts }}
      </text>
    </svg>
  </div>
</template>

<style scoped>
svg {
  display: block;
  overflow: visible;
}
</style>
