<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { covers, readPattern, type FolderPicture } from '../../core/files'
import type { PathRule } from '../../core/policies'
import { count, percent, plural, size } from '../kit/format'
import { slabsOf } from './icicle'

/** Folders by the room they take. A click goes into one; the first column leads back. */
const props = defineProps<{ picture: FolderPicture; depth: number; chosen: string | null; rules: readonly PathRule[] }>()
const emit = defineEmits<{ go: [folder: FolderPicture]; choose: [folder: FolderPicture] }>()
const box = ref<HTMLElement | null>(null)
const { width } = useElementSize(box)
const HEIGHT = 380
const slabs = computed(() => slabsOf(props.picture, Math.max(480, width.value), HEIGHT, props.depth))
const read = computed(() =>
  props.rules.flatMap(({ pattern, does }) => {
    const reading = readPattern(pattern)
    return reading.ok ? [{ pattern: reading.pattern, does }] : []
  }),
)
const leftOut = (one: FolderPicture) => one.path !== '' && read.value.find(({ pattern }) => covers(pattern, one.path))?.does === 'skip'
const words = (one: FolderPicture) =>
  `${one.path || 'the whole profile'}: ${size(one.bytes)}, ${percent(props.picture.bytes > 0 ? one.bytes / props.picture.bytes : 0)} of what is shown, ${plural(one.files, 'file')} of ${plural(one.people, 'person', 'people')}; ${size(one.restBytes)} lie directly in it or in small folders`
</script>

<template>
  <div ref="box">
    <svg :width="Math.max(480, width)" :height="HEIGHT" role="group" aria-label="Folders by the room they take">
      <defs>
        <pattern id="left-out" width="8" height="8" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <line x1="0" y1="0" x2="0" y2="8" stroke="var(--madder)" stroke-width="1.2" opacity="0.5" />
        </pattern>
      </defs>
      <g
        v-for="slab in slabs"
        :key="slab.folder.path + slab.depth"
        tabindex="0"
        role="button"
        :aria-label="words(slab.folder)"
        class="slab"
        @click="emit('choose', slab.folder)"
        @dblclick="emit('go', slab.folder)"
        @keydown.enter="emit('choose', slab.folder)"
        @keydown.space.prevent="emit('go', slab.folder)"
      >
        <title>{{ words(slab.folder) }}</title>
        <rect
          :x="slab.x"
          :y="slab.y"
          :width="slab.width"
          :height="slab.height"
          :fill="
            slab.folder.path === chosen
              ? 'var(--indigo)'
              : leftOut(slab.folder)
                ? 'url(#left-out)'
                : slab.depth % 2
                  ? 'var(--ghost)'
                  : 'var(--paper-2)'
          "
          :stroke="leftOut(slab.folder) ? 'var(--madder)' : 'var(--hair)'"
        />
        <text
          v-if="slab.named"
          :x="slab.x + 6"
          :y="slab.y + Math.min(slab.height / 2 + 4, 16)"
          font-size="11.5"
          :fill="slab.folder.path === chosen ? 'var(--paper)' : 'var(--ink)'"
        >
          {{ slab.folder.name || 'everything' }}
          <tspan :fill="slab.folder.path === chosen ? 'var(--paper)' : 'var(--ink-2)'" dx="6">{{ size(slab.folder.bytes) }}</tspan>
        </text>
      </g>
    </svg>
    <p class="small quiet">
      Each slab is a folder, as high as it is large; what lies in it stands to its right; hatched: a rule leaves it out.
      {{ count(picture.files) }} files are shown together.
    </p>
  </div>
</template>

<style scoped>
.slab {
  cursor: pointer;
}
.slab:focus-visible {
  outline: 2px solid var(--indigo);
}
svg {
  overflow: hidden;
}
</style>
