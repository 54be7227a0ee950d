<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import type { Remedy, Story } from '../../contract/logons'
import type { z } from 'zod'
import { clockSeconds } from '../kit/format'
import { call, ProblemError } from '../shell/api'
import { useSession } from '../shell/session'

/** The remedy of a cause: whom it hits, the button, then the job with its steps and what came of it. */
const props = defineProps<{ story: Story; remedy: z.infer<typeof Remedy> }>()
const session = useSession()
const jobId = ref<string | null>(null)
const sure = ref(false)
const allowed = computed(() => (props.remedy.kind === 'release-hold' ? session.mayHelp : session.isAdministrator))
const { data: job } = useQuery({ queryKey: ['job', jobId], queryFn: () => call('job', { params: { id: jobId.value ?? '' } }), enabled: computed(() => jobId.value !== null), refetchInterval: (query) => (query.state.data && query.state.data.state !== 'running' && (query.state.data.outcome || query.state.data.state !== 'done') ? false : 1500) })
const { mutate, error, isPending } = useMutation({ mutationFn: () => call('remedy', { params: { id: props.story.id } }), onSuccess: ({ id }) => { jobId.value = id } })
const cancel = () => call('jobCancel', { params: { id: jobId.value ?? '' } })
const SIGNS = { waiting: '·', running: '…', done: '✓', failed: '×', skipped: '–' } as const
</script>

<template>
  <h2>What can be done</h2>
  <template v-if="remedy.kind === 'tell'"><strong>{{ remedy.label }}</strong><p class="quiet small">{{ remedy.explanation }}</p></template>
  <template v-else-if="!job">
    <p class="quiet small">{{ remedy.explanation }}</p>
    <label v-if="allowed && remedy.kind === 'restart-host'" class="small"><input v-model="sure" type="checkbox" /> I know that sessions on it will be logged off.</label>
    <BButton variant="primary" class="go" :disabled="!allowed || isPending || (remedy.kind === 'restart-host' && !sure)" @click="mutate()">{{ remedy.label }}</BButton>
    <p v-if="!allowed" class="quiet small">Your role does not include this.</p>
    <p v-if="error" class="madder" role="alert">{{ error instanceof ProblemError ? (error.detail ?? error.title) : 'The server does not answer.' }}</p>
  </template>
  <section v-else aria-label="Job">
    <strong>{{ job.title }}</strong>
    <ol>
      <li v-for="step in job.steps" :key="step.title" :class="step.state"><span aria-hidden="true">{{ SIGNS[step.state] }}</span><span>{{ step.title }}<span v-if="step.note" class="note">{{ step.note }}</span></span></li>
    </ol>
    <p role="status">
      <template v-if="job.state === 'running'">Running since {{ clockSeconds(job.startedMs) }}. <BButton variant="link" @click="cancel">Stop before the next step</BButton></template>
      <template v-else-if="job.state === 'failed'"><span class="madder">It did not go through.</span></template>
      <template v-else-if="job.state === 'cancelled'">Stopped on request.</template>
      <template v-else-if="job.outcome"><span class="moss">{{ job.outcome.sentence }}</span> <RouterLink v-if="job.outcome.attempt" :to="`/logons/${job.outcome.attempt}`">look</RouterLink></template>
      <template v-else>Done. Waiting for their next logon to see whether it helped…</template>
    </p>
    <RouterLink to="/journal">In the journal</RouterLink>
  </section>
</template>

<style scoped>
.go { width: 100%; text-align: left; margin: 6px 0; }
ol { list-style: none; padding: 0; margin: 8px 0; }
li { display: grid; grid-template-columns: 18px minmax(0, 1fr); padding: 3px 0; }
li.done > span:first-child { color: var(--moss); } li.failed > span:first-child { color: var(--madder); }
li.waiting, li.skipped { color: var(--stone); }
.note { display: block; color: var(--ink-2); font-size: 12.5px; }
</style>
