<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { ref } from 'vue'
import type { SharePage } from '../../contract/shares'
import JobSteps from '../journal/JobSteps.vue'
import { count } from '../kit/format'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'

/** One layer of permissions: what is there, what should be, and setting it. */
const props = defineProps<{ shareId: string; layer: SharePage['layers'][number]; members: number }>()
const session = useSession()
const jobId = ref<string | null>(null)
const undo = ref<string | null>(null)
const sure = ref(false)
const { mutate, error, isPending } = useMutation({
  mutationFn: (sddl: string) => call('sharePermissions', { params: { id: props.shareId }, body: { layer: props.layer.layer, sddl } }),
  onMutate: () => {
    undo.value = props.layer.sddl
  },
  onSuccess: (job) => {
    jobId.value = job.id
    sure.value = false
  },
})
</script>

<template>
  <section :aria-label="layer.layer === 'share' ? 'The share itself' : 'The folder inside'">
    <h3>
      {{ layer.layer === 'share' ? 'The share itself' : 'The folder inside' }}
      <span class="quiet small">{{ layer.asWanted ? 'as it should be' : 'differs from what it should be' }}</span>
    </h3>
    <div class="two">
      <div>
        <div class="quiet small">There now</div>
        <ul>
          <li v-for="one in layer.sentences" :key="one">{{ one }}</li>
        </ul>
        <code>{{ layer.sddl }}</code>
      </div>
      <div v-if="layer.wanted && !layer.asWanted">
        <div class="quiet small">Should be</div>
        <ul>
          <li v-for="one in layer.wantedSentences" :key="one">{{ one }}</li>
        </ul>
        <code>{{ layer.wanted }}</code>
      </div>
    </div>
    <template v-if="layer.wanted && !layer.asWanted && session.isAdministrator">
      <label class="small"><input v-model="sure" type="checkbox" /> I know that this reaches {{ count(members) }} people at their next access.</label>
      <BButton variant="outline-secondary" :disabled="!sure || isPending" @click="mutate(layer.wanted)">Set what it should be</BButton>
    </template>
    <p v-if="error" class="madder" role="alert">{{ problemWords(error) }}</p>
    <JobSteps v-if="jobId" :id="jobId" :key="jobId" />
    <BButton v-if="jobId && undo && undo !== layer.sddl" variant="link" @click="mutate(undo)">Put the old ones back</BButton>
  </section>
</template>

<style scoped>
section {
  border-top: 1px solid var(--hair);
  padding: 10px 0 14px;
}
h3 {
  font-size: 14px;
  font-weight: 600;
  margin: 0 0 6px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 24px;
  margin-bottom: 8px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 2px 0 6px;
}
code {
  font-size: 11.5px;
  color: var(--ink-2);
  overflow-wrap: anywhere;
}
label {
  margin-right: 12px;
}
@media (max-width: 800px) {
  .two {
    grid-template-columns: 1fr;
  }
}
</style>
