<script setup lang="ts">
import { computed } from 'vue'
import type { IncidentPage } from '../../contract/logons'
import { duration, exact, when } from '../kit/format'

/** Whether something that was done helped; and what was done since it began, to choose from. */
const props = defineProps<{ watch: IncidentPage['watch']; done: IncidentPage['done']; chosenMs: number | null }>()
const emit = defineEmits<{ choose: [ms: number | undefined] }>()
const TONE = { helped: 'moss', worse: 'madder', 'no effect': 'ochre', 'too early': 'quiet', waiting: 'quiet' } as const
const named = computed(() => props.done.find(({ atMs }) => atMs === props.chosenMs)?.sentence)
const rows = computed(() => (props.watch ? [['before', props.watch.before] as const, ['since', props.watch.after] as const] : []))
</script>

<template>
  <h2>Did it help?</h2>
  <template v-if="watch">
    <p class="verdict" :class="TONE[watch.verdict]" role="status">{{ watch.sentence }}</p>
    <p class="quiet small" :title="exact(watch.sinceMs)">
      Since {{ when(watch.sinceMs) }}<template v-if="named">: {{ named }}</template
      >. Followed: {{ watch.cohort }}.
    </p>
    <table class="plain small">
      <thead>
        <tr>
          <th></th>
          <th class="number">logons</th>
          <th class="number">failed</th>
          <th class="number">median</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="[word, row] in rows" :key="word">
          <td>{{ word }}</td>
          <td class="number">{{ row.n }}</td>
          <td class="number">{{ row.failed }}</td>
          <td class="number">{{ row.medianMs === null ? '–' : duration(row.medianMs) }}</td>
        </tr>
      </tbody>
    </table>
    <p class="quiet small">
      {{ watch.after.withCause }} of those since still had this cause. Evidence that it helped {{ watch.test.helped.toFixed(1) }}, that it got worse
      {{ watch.test.worse.toFixed(1) }}; said from {{ watch.test.bound.toFixed(1) }} on, so that it is said wrongly once in a hundred times.
    </p>
    <BButton variant="link" @click="emit('choose', undefined)">Another moment</BButton>
  </template>
  <template v-else>
    <p class="quiet small">Choose what was done about it; the same people and place are compared before and after.</p>
    <p v-if="done.length === 0" class="quiet small">Nothing was done or changed here since it began.</p>
    <ul>
      <li v-for="one in done.slice(0, 8)" :key="`${one.atMs}${one.sentence}`">
        <BButton variant="link" @click="emit('choose', one.atMs)">{{ one.sentence }}</BButton>
        <span class="quiet small" :title="exact(one.atMs)"> {{ when(one.atMs) }}<template v-if="one.here">, right there</template></span>
      </li>
    </ul>
  </template>
</template>

<style scoped>
.verdict {
  font-size: 17px;
  line-height: 1.35;
  font-weight: 500;
  margin: 2px 0 8px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  border-top: 1px solid var(--hair);
  padding: 5px 0;
}
li :deep(.btn-link) {
  text-align: left;
}
</style>
