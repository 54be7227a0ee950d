<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { SharePage } from '../../contract/shares'
import { day, size } from '../kit/format'
import { drawRoom } from './words'

/** How full a share was, against how much it holds, and where the line goes on to. */
const props = defineProps<{ share: SharePage }>()
const box = ref<HTMLElement | null>(null)
const { width } = useElementSize(box)
const HEIGHT = 150
const drawn = computed(() => drawRoom(props.share, Math.max(320, width.value), HEIGHT, Date.now()))
</script>

<template>
  <div ref="box">
    <svg
      :width="Math.max(320, width)"
      :height="HEIGHT + 22"
      role="img"
      :aria-label="`Used: ${size(share.totalBytes - share.freeBytes)} of ${size(share.totalBytes)}`"
    >
      <line x1="0" :x2="Math.max(320, width)" :y1="drawn.limitY" :y2="drawn.limitY" stroke="var(--madder)" stroke-dasharray="4 3" />
      <text x="0" :y="drawn.limitY < 16 ? drawn.limitY + 13 : drawn.limitY - 4" font-size="11.5" fill="var(--madder)">
        {{ size(share.totalBytes) }}: full
      </text>
      <path v-if="drawn.cone" :d="drawn.cone" fill="var(--ghost)" />
      <path :d="drawn.past" fill="none" stroke="var(--ink)" stroke-width="1.6" />
      <path v-if="drawn.ahead" :d="drawn.ahead" fill="none" stroke="var(--ink)" stroke-width="1.6" stroke-dasharray="2 4" />
      <line :x1="drawn.nowX" :x2="drawn.nowX" y1="0" :y2="HEIGHT" stroke="var(--hair)" />
      <text v-for="tick in drawn.ticks" :key="tick.x" :x="tick.x" :y="HEIGHT + 16" font-size="11.5" fill="var(--ink-2)" text-anchor="middle">
        {{ day(tick.atMs) }}
      </text>
    </svg>
  </div>
</template>
