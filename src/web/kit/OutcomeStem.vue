<script setup lang="ts">
import { computed } from 'vue'

/** The sign of an outcome, drawn as a stem, so that it never depends on colour alone. */
const props = withDefaults(defineProps<{ outcome: string; height?: number }>(), { height: 18 })

const STEMS: Record<string, { path: string; colour: string; dash?: string }> = {
  ready: { path: 'M7 19V3', colour: 'var(--moss)' },
  slow: { path: 'M6 19V10c0-4 2-6 5-8', colour: 'var(--ochre)' },
  failed: { path: 'M6 19V12M7 9 12 2', colour: 'var(--madder)' },
  degraded: { path: 'M7 19V3', colour: 'var(--plum)', dash: '2 4' },
  open: { path: 'M7 19V12', colour: 'var(--stone)' },
  abandoned: { path: 'M3 18C7 18 10 17 13 13', colour: 'var(--stone)' },
}
const stem = computed(() => STEMS[props.outcome] ?? STEMS['open'])
</script>

<template>
  <svg
    :width="(height * 14) / 20"
    :height="height"
    viewBox="0 0 14 20"
    fill="none"
    role="img"
    :aria-label="outcome"
    stroke-width="2"
    stroke-linecap="round"
    class="stem"
  >
    <title>{{ outcome }}</title>
    <path :d="stem?.path" :stroke="stem?.colour" :stroke-dasharray="stem?.dash" />
  </svg>
</template>

<style scoped>
.stem {
  flex: none;
  vertical-align: -3px;
}
</style>
