<script setup lang="ts">
import { computed } from 'vue'
import type { Story } from '../../contract/logons'
import { OUTCOMES } from '../../core/logons/attempt'
import { duration, plural } from '../kit/format'

const props = defineProps<{ story: Story }>()
const WIDTH = 400
const maxMs = computed(() => Math.max(30_000, props.story.totalMs, ...props.story.colleagues.totalMs) * 1.05)
const x = (ms: number) => (ms / maxMs.value) * WIDTH
const total = computed(() => props.story.usual?.series['total'])
const others = computed(() =>
  props.story.colleagues.id
    .map((id, i) => ({
      id,
      ms: props.story.colleagues.totalMs[i] ?? 0,
      outcome: OUTCOMES[props.story.colleagues.outcome[i] ?? 0] ?? 'ready',
      y: 22 + ((i * 37) % 36),
    }))
    .filter(({ id }) => id !== props.story.id),
)
const ticks = computed(() => {
  const step = maxMs.value > 200_000 ? 60_000 : maxMs.value > 70_000 ? 20_000 : 10_000
  return Array.from({ length: Math.floor(maxMs.value / step) + 1 }, (_, i) => i * step)
})
const bad = computed(() => others.value.filter(({ outcome }) => outcome === 'failed' || outcome === 'slow' || outcome === 'degraded').length)
</script>

<template>
  <svg :viewBox="`0 0 ${WIDTH} 86`" width="100%" font-size="11.5" role="img" :aria-label="`${others.length} colleagues in the same hour`">
    <rect
      v-if="total && total.highMs > total.lowMs"
      :x="x(total.lowMs)"
      y="16"
      :width="x(total.highMs) - x(total.lowMs)"
      height="46"
      fill="var(--ghost)"
      opacity=".55"
    />
    <text v-if="total && total.highMs > total.lowMs" :x="x(total.lowMs)" y="10" fill="var(--stone)">
      usual {{ duration(total.lowMs) }} to {{ duration(total.highMs) }}
    </text>
    <line x1="0" :x2="WIDTH" y1="62" y2="62" stroke="var(--hair)" />
    <RouterLink v-for="one in others" :key="one.id" :to="`/logons/${encodeURIComponent(one.id)}`" tabindex="-1">
      <circle
        :cx="x(one.ms)"
        :cy="one.y"
        :r="one.outcome === 'ready' ? 2.4 : 3"
        :fill="one.outcome === 'failed' ? 'var(--madder)' : one.outcome === 'ready' ? 'var(--ink)' : 'var(--ochre)'"
        :opacity="one.outcome === 'ready' ? 0.5 : 0.9"
      >
        <title>{{ one.outcome }}, {{ duration(one.ms) }}</title>
      </circle>
    </RouterLink>
    <circle :cx="x(story.totalMs)" cy="44" r="5" fill="var(--plum)" />
    <text
      :x="x(story.totalMs) + (x(story.totalMs) > WIDTH / 2 ? -9 : 9)"
      y="48"
      :text-anchor="x(story.totalMs) > WIDTH / 2 ? 'end' : 'start'"
      class="halo"
      fill="var(--plum)"
    >
      {{ story.name?.split(' ')[0] ?? 'this one' }}
    </text>
    <text
      v-for="ms in ticks"
      :key="ms"
      :x="x(ms)"
      y="78"
      fill="var(--stone)"
      :text-anchor="ms === 0 ? 'start' : x(ms) > WIDTH - 20 ? 'end' : 'middle'"
    >
      {{ ms === 0 ? '0' : duration(ms) }}
    </text>
  </svg>
  <p class="quiet small">
    {{ plural(others.length, 'colleague') }} in that hour{{ others.length ? `, ${bad} of them slow, failed or without their profile` : '' }}.
  </p>
</template>
