<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import type { Remedy, Story } from '../../contract/logons'
import type { z } from 'zod'
import JobSteps from '../journal/JobSteps.vue'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'

/** The remedy of a cause: whom it hits, the button, then the job with its steps and what came of it. */
const props = defineProps<{ story: Story; remedy: z.infer<typeof Remedy> }>()
const session = useSession()
const jobId = ref<string | null>(null)
const sure = ref(false)
const allowed = computed(() => (props.remedy.kind === 'release-hold' ? session.mayHelp : session.isAdministrator))
const { mutate, error, isPending } = useMutation({
  mutationFn: () => call('remedy', { params: { id: props.story.id } }),
  onSuccess: ({ id }) => {
    jobId.value = id
  },
})
</script>

<template>
  <h2>What can be done</h2>
  <template v-if="remedy.kind === 'tell'"
    ><strong>{{ remedy.label }}</strong>
    <p class="quiet small">{{ remedy.explanation }}</p></template
  >
  <template v-else-if="!jobId">
    <p class="quiet small">{{ remedy.explanation }}</p>
    <label v-if="allowed && remedy.kind === 'restart-host'" class="small"
      ><input v-model="sure" type="checkbox" /> I know that sessions on it will be logged off.</label
    >
    <BButton variant="primary" class="go" :disabled="!allowed || isPending || (remedy.kind === 'restart-host' && !sure)" @click="mutate()">{{
      remedy.label
    }}</BButton>
    <p v-if="!allowed" class="quiet small">Your role does not include this.</p>
    <p v-if="error" class="madder" role="alert">{{ problemWords(error) }}</p>
  </template>
  <JobSteps v-else :id="jobId">
    <template #done="{ job }">
      <template v-if="job.outcome"
        ><span class="moss">{{ job.outcome.sentence }}</span>
        <RouterLink v-if="job.outcome.attempt" :to="`/logons/${encodeURIComponent(job.outcome.attempt)}`">look</RouterLink></template
      >
      <template v-else>Done. Waiting for their next logon to see whether it helped…</template>
    </template>
  </JobSteps>
</template>
