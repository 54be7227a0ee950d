<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { ref } from 'vue'
import type { PoolsPage } from '../../contract/pools'
import JobSteps from '../journal/JobSteps.vue'
import { when } from '../kit/format'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'

/** The proof of a pool with a test person: what came of the last one, and a new one. */
const props = defineProps<{ pool: PoolsPage['pools'][number] }>()
const session = useSession()
const person = ref(props.pool.proof?.person ?? '')
const asked = refDebounced(person, 250)
const open = ref(false)
const jobId = ref<string | null>(null)
const shown = ref(false)
const { data: people } = useQuery({
  queryKey: ['people', asked],
  queryFn: ({ signal }) => call('people', { query: { text: asked.value || 'proof' } }, signal),
  enabled: open,
})
const { mutate, error, isPending } = useMutation({
  mutationFn: () => call('poolProof', { params: { id: props.pool.id }, body: { person: person.value.trim() } }),
  onSuccess: ({ id }) => {
    jobId.value = id
    open.value = false
  },
})
</script>

<template>
  <h2>Proof with a test person</h2>
  <p v-if="pool.proof && !jobId">
    <strong :class="pool.proof.ok ? 'moss' : pool.proof.ok === false ? 'madder' : 'ochre'">{{
      pool.proof.ok ? 'Proven' : pool.proof.ok === false ? 'Not proven' : 'Under way'
    }}</strong>
    {{ when(pool.proof.atMs) }} with <span class="mono">{{ pool.proof.person }}</span>. {{ pool.proof.sentence }}
    <BButton variant="link" @click="shown = !shown">{{ shown ? 'hide its steps' : 'its steps' }}</BButton>
  </p>
  <p v-else-if="!jobId" class="quiet">Nobody has proven this pool yet.</p>
  <JobSteps v-if="shown && pool.proof && !jobId" :id="pool.proof.job" />
  <BButton v-if="!open" variant="outline-secondary" class="go" :disabled="!session.isAdministrator" @click="open = true">Prove it…</BButton>
  <form v-else class="sure" @submit.prevent="mutate()">
    <p class="small">
      Logs a test person on, looks for their container, logs them off, looks whether the host is clean, drains it, logs them on elsewhere, looks
      whether it is the same, and undoes the drain. Choose an account that nobody works with.
    </p>
    <input v-model="person" class="form-control mono" list="test-people" aria-label="Test person" placeholder="account" autocomplete="off" />
    <datalist id="test-people">
      <option v-for="one in people?.people.slice(0, 20)" :key="one.id" :value="one.id">{{ one.name }}</option>
    </datalist>
    <BButton type="submit" variant="primary" class="go" :disabled="person.trim() === '' || isPending">Prove {{ pool.name }}</BButton>
  </form>
  <p v-if="error" class="madder" role="alert">{{ problemWords(error) }}</p>
  <JobSteps v-if="jobId" :id="jobId" :key="jobId" />
</template>
