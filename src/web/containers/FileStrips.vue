<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { ContainerPage } from '../../contract/containers'
import { percent, plural, size } from '../kit/format'
import { drawStretches, offsetWords, STRETCHES } from './words'

/** The file as it lies on the share, and the disk as the host sees it: two strips. */
const props = defineProps<{ page: ContainerPage }>()
const box = ref<HTMLElement | null>(null)
const { width } = useElementSize(box)
const inner = computed(() => Math.max(320, width.value))
const stretches = computed(() => drawStretches(props.page.layout, inner.value, 7))
const disk = computed(() =>
  drawStretches(
    props.page.blocks.map(({ present, count }) => ({ what: present ? 'in the file' : 'not in the file', offset: 0, bytes: count })),
    inner.value,
    0.6,
  ),
)
const kinds = computed(() => {
  const sums = new Map<string, number>()
  for (const { what, bytes } of props.page.layout) sums.set(what, (sums.get(what) ?? 0) + bytes)
  return [...sums].sort((a, b) => b[1] - a[1])
})
const present = computed(() => props.page.blocks.filter((run) => run.present).reduce((sum, { count }) => sum + count, 0))
const all = computed(() => props.page.blocks.reduce((sum, { count }) => sum + count, 0))
const fill = (what: string) =>
  what === 'block' || what === 'payload' ? 'var(--ink)' : what === 'waste' ? 'url(#hatch)' : what === 'reserved' ? 'var(--ghost)' : 'var(--indigo)'
</script>

<template>
  <div ref="box">
    <h2>The file as it lies on the share</h2>
    <svg :width="inner" height="34" role="img" :aria-label="`The file: ${kinds.map(([what, bytes]) => `${what} ${size(bytes)}`).join(', ')}`">
      <defs>
        <pattern id="hatch" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="6" height="6" fill="var(--paper)" />
          <line x1="0" y1="0" x2="0" y2="6" stroke="var(--ochre)" stroke-width="2.4" />
        </pattern>
      </defs>
      <g v-for="one in stretches" :key="one.offset">
        <rect :x="one.x + 0.5" y="4" :width="Math.max(1, one.width - 1)" height="26" :fill="fill(one.what)">
          <title>{{ one.what }}, {{ size(one.bytes) }}, at {{ offsetWords(one.offset) }}: {{ STRETCHES[one.what] ?? '' }}</title>
        </rect>
      </g>
    </svg>
    <ul class="legend small">
      <li v-for="[what, bytes] in kinds" :key="what">
        <svg width="12" height="12" aria-hidden="true"><rect width="12" height="12" :fill="fill(what)" stroke="var(--hair)" /></svg>
        {{ what === 'block' ? 'payload' : what }} {{ size(bytes) }} <span class="quiet">{{ STRETCHES[what] ?? '' }}</span>
      </li>
    </ul>
    <template v-if="all > 0">
      <h2>The disk as the host sees it</h2>
      <svg :width="inner" height="24" role="img" :aria-label="`${present} of ${all} blocks lie in the file`">
        <rect
          v-for="(one, index) in disk"
          :key="index"
          :x="one.x"
          y="2"
          :width="one.width"
          height="20"
          :fill="one.what === 'in the file' ? 'var(--ink)' : 'var(--ghost)'"
        >
          <title>{{ plural(one.bytes, 'block') }} {{ one.what }}</title>
        </rect>
      </svg>
      <div class="quiet small">
        {{ plural(all, 'block') }} of {{ size(page.blockBytes) }}, {{ present }} of them in the file ({{ percent(present / all) }}); the others read
        as zeros{{ page.parent ? ' or from the parent' : '' }}.
      </div>
    </template>
  </div>
</template>

<style scoped>
.legend {
  list-style: none;
  padding: 0;
  margin: 4px 0 0;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
}
</style>
