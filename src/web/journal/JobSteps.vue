<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { clockSeconds, count, duration, percent, plural, size } from '../kit/format'
import { call } from '../shell/api'

/** A job as it goes: its steps with what each did, how far the present one is, and a way to stop it. */
const props = defineProps<{ id: string }>()
const { data: job } = useQuery({
  queryKey: ['job', computed(() => props.id)],
  queryFn: () => call('job', { params: { id: props.id } }),
  refetchInterval: (query) =>
    query.state.data && query.state.data.state !== 'running' && (query.state.data.outcome || query.state.data.state !== 'done') ? false : 1500,
})
const cancel = () => call('jobCancel', { params: { id: props.id } })
const SIGNS = { waiting: '·', running: '…', done: '✓', failed: '×', skipped: '–' } as const
</script>

<template>
  <section v-if="job" aria-label="Job">
    <strong>{{ job.title }}</strong>
    <ol>
      <li v-for="step in job.steps" :key="step.title" :class="step.state">
        <span aria-hidden="true">{{ SIGNS[step.state] }}</span><span
          >{{ step.title }}<span v-if="step.note" class="note">{{ step.note }}</span></span
        >
      </li>
    </ol>
    <template v-if="job.progress && job.state === 'running'"
      ><BProgress :value="(100 * job.progress.done) / job.progress.total" :aria-label="`Done: ${percent(job.progress.done / job.progress.total)}`" />
      <div class="quiet small">
        <template v-if="job.kind === 'limit-proof'">{{ duration(job.progress.done) }} of {{ duration(job.progress.total) }}</template
        ><template v-else-if="job.kind === 'explain-anew'">{{ count(job.progress.done) }} of {{ plural(job.progress.total, 'logon') }}</template
        ><template v-else>{{ size(job.progress.done) }} of {{ size(job.progress.total) }} read</template>
      </div></template
    >
    <p role="status">
      <template v-if="job.state === 'running'"
        >Running since {{ clockSeconds(job.startedMs) }}. <BButton variant="link" @click="cancel">Stop it</BButton></template
      >
      <template v-else-if="job.state === 'failed'"><span class="madder">It did not go through.</span></template>
      <template v-else-if="job.state === 'cancelled'">Stopped on request.</template>
      <slot v-else name="done" :job="job"><span class="moss">Done.</span></slot>
    </p>
    <RouterLink to="/journal">In the journal</RouterLink>
  </section>
</template>

<style scoped>
ol {
  list-style: none;
  padding: 0;
  margin: 8px 0;
}
li {
  display: grid;
  grid-template-columns: 18px minmax(0, 1fr);
  padding: 3px 0;
}
li.done > span:first-child {
  color: var(--moss);
}
li.failed > span:first-child {
  color: var(--madder);
}
li.waiting,
li.skipped {
  color: var(--stone);
}
.note {
  display: block;
  color: var(--ink-2);
  font-size: 12.5px;
}
</style>
