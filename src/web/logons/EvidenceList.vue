<script setup lang="ts">
import { computed } from 'vue'

interface Shown {
  for: boolean
  weight: number
  sentence: string
  detail?: string | undefined
}
const props = defineProps<{ clues: readonly Shown[]; weights?: boolean }>()
const nothingAgainst = computed(() => props.clues.every((clue) => clue.for))
</script>

<template>
  <ul class="evidence" aria-label="Evidence">
    <li v-for="clue in clues" :key="clue.sentence">
      <b :class="clue.for ? 'moss' : 'madder'" :aria-label="clue.for ? 'for' : 'against'">{{ clue.for ? '+' : '–' }}</b>
      <span
        >{{ clue.sentence }}<span v-if="clue.detail" class="detail mono">{{ clue.detail }}</span
        ><span v-if="weights" class="detail">{{ clue.for ? 'adds' : 'takes' }} {{ clue.weight }} to the log odds</span></span
      >
    </li>
    <li v-if="nothingAgainst"><b class="stone" aria-hidden="true">·</b><span class="quiet">Nothing speaks against it.</span></li>
  </ul>
</template>

<style scoped>
.evidence {
  list-style: none;
  margin: 0 0 8px;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr);
  padding: 3px 0;
  overflow-wrap: anywhere;
}
.detail {
  display: block;
  color: var(--stone);
  font-size: 12px;
}
</style>
