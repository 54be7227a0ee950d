<script setup lang="ts">
import { computed } from 'vue'
import type { AttemptLine } from '../../contract/logons'
import { day, duration, when } from '../kit/format'

/** A person's last logons as a row of stems; the height is how long each took. */
const props = defineProps<{ attempts: readonly AttemptLine[]; current?: string }>()
const stems = computed(() => {
  const list = [...props.attempts].reverse()
  const max = Math.max(30_000, ...list.map(({ totalMs }) => totalMs))
  return list.map((one, i) => {
    const x = 8 + i * (384 / Math.max(23, list.length - 1))
    const height = 6 + 40 * Math.sqrt(one.totalMs / max)
    const d =
      one.outcome === 'failed'
        ? `M${x} 64v${-height * 0.55}m.5 -4 5 -8`
        : one.outcome === 'slow'
          ? `M${x} 64v${-height + 8}c0-4 2-7 5-8`
          : `M${x} 64v${-height}`
    return {
      one,
      x,
      d,
      colour:
        one.outcome === 'failed'
          ? 'var(--madder)'
          : one.outcome === 'slow'
            ? 'var(--ochre)'
            : one.outcome === 'degraded'
              ? 'var(--plum)'
              : 'var(--ink)',
    }
  })
})
</script>

<template>
  <p v-if="attempts.length === 0" class="quiet">None is known.</p>
  <svg
    v-else
    viewBox="0 0 400 86"
    width="100%"
    font-size="11.5"
    fill="none"
    stroke-width="2.2"
    stroke-linecap="round"
    role="img"
    :aria-label="`last ${attempts.length} logons, ${attempts.filter((a) => a.outcome === 'failed').length} failed`"
  >
    <line x1="0" x2="400" y1="64" y2="64" stroke="var(--hair)" stroke-width="1" />
    <RouterLink v-for="stem in stems" :key="stem.one.id" :to="`/logons/${encodeURIComponent(stem.one.id)}`" tabindex="-1">
      <rect :x="stem.x - 7" y="8" width="14" height="58" fill="transparent" />
      <path :d="stem.d" :stroke="stem.colour" :stroke-dasharray="stem.one.outcome === 'degraded' ? '2 4' : undefined">
        <title>{{ when(stem.one.startedMs) }}, {{ stem.one.outcome }}, {{ duration(stem.one.totalMs) }}</title>
      </path>
      <circle v-if="stem.one.id === current" :cx="stem.x" cy="71" r="2.5" fill="var(--plum)" />
    </RouterLink>
    <text x="0" y="84" fill="var(--stone)" stroke="none">{{ day(stems[0]?.one.startedMs ?? 0) }}</text>
    <text x="400" y="84" text-anchor="end" fill="var(--stone)" stroke="none">{{ when(stems.at(-1)?.one.startedMs ?? 0) }}</text>
  </svg>
</template>
