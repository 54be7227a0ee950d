<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import type { ContainerJobs, ContainerLine, ShareLine } from '../../contract/containers'
import JobSteps from '../journal/JobSteps.vue'
import { plural, size } from '../kit/format'
import { call, problemWords } from '../shell/api'

/** What can be done to many containers at once, and whom it touches. */
const props = defineProps<{ chosen: readonly ContainerLine[]; shares: readonly ShareLine[] }>()
const emit = defineEmits<{ clear: [] }>()
type Kind = ContainerJobs['kind']
const KINDS: { kind: Kind; title: string; says: string }[] = [
  { kind: 'compact', title: 'Compact', says: 'Each is written anew without blocks of zeros and gaps, and compared.' },
  { kind: 'repair', title: 'Repair', says: 'Logs are replayed and broken copies made good.' },
  { kind: 'release', title: 'Release holds', says: 'Only where the holding host says that the session is gone.' },
  { kind: 'set-aside', title: 'Set aside', says: 'The people begin with an empty profile at their next logon; what is set aside can be put back.' },
  {
    kind: 'move',
    title: 'Move',
    says: 'Each is copied to the other share, compared, and only then taken out of use here; the old ones are kept for 3 days.',
  },
  {
    kind: 'archive',
    title: 'Archive',
    says: 'Each is copied to the archive of a share, compared, and taken away here. The people begin with an empty profile.',
  },
]
const wanted = ref<Kind | null>(null)
const sure = ref(false)
const toShare = ref(props.shares[0]?.id ?? '')
const needsShare = computed(() => wanted.value === 'move' || wanted.value === 'archive')
const needsSure = computed(() => (wanted.value === 'set-aside' || wanted.value === 'archive') && people.value > 0)
const jobId = ref<string | null>(null)
const bytes = computed(() => props.chosen.reduce((sum, { allocatedBytes }) => sum + allocatedBytes, 0))
const inUse = computed(() => props.chosen.filter(({ holderHost }) => holderHost !== null).length)
const people = computed(() => new Set(props.chosen.flatMap(({ person, name }) => (name === null ? [] : (person ?? [])))).size)
const whose = computed(() => (people.value === 0 ? 'of nobody' : `of ${plural(people.value, 'person', 'people')}`))
const { mutate, error, isPending } = useMutation({
  mutationFn: (kind: Kind) =>
    call('containerJobs', { body: { kind, ...(needsShare.value ? { toShare: toShare.value } : {}), ids: props.chosen.map(({ id }) => id) } }),
  onSuccess: ({ id }) => {
    jobId.value = id
    wanted.value = null
  },
})
</script>

<template>
  <section class="many" aria-label="Chosen containers">
    <div>
      <strong>{{ plural(chosen.length, 'container') }}</strong> {{ whose }}, {{ size(bytes) }} inside<template v-if="inUse"
        >; {{ inUse }} of them in use, which will be left as they are</template
      >.
      <BButton
        v-for="one in KINDS"
        :key="one.kind"
        variant="outline-secondary"
        size="sm"
        :aria-expanded="wanted === one.kind"
        @click="((wanted = one.kind), (sure = false))"
        >{{ one.title }}…</BButton
      >
      <BButton variant="link" @click="emit('clear')">choose none</BButton>
    </div>
    <p v-if="wanted">
      {{ KINDS.find(({ kind }) => kind === wanted)?.says }} Nobody can log on with one of them while it is worked on.
      <label v-if="needsShare"
        >To
        <select v-model="toShare" class="form-select share" aria-label="To which share">
          <option v-for="share in shares" :key="share.id" :value="share.id">{{ share.path }}, {{ size(share.freeBytes) }} free</option>
        </select></label
      >
      <label v-if="needsSure" class="small"
        ><input v-model="sure" type="checkbox" /> I know that {{ plural(people, 'person begins', 'people begin') }} with an empty profile.</label
      >
      <BButton variant="primary" :disabled="isPending || (needsSure && !sure)" @click="mutate(wanted)"
        >{{ KINDS.find(({ kind }) => kind === wanted)?.title }} {{ chosen.length }}</BButton
      >
    </p>
    <p v-if="error" class="madder" role="alert">{{ problemWords(error) }}</p>
    <JobSteps v-if="jobId" :id="jobId" :key="jobId" />
  </section>
</template>

<style scoped>
.many {
  border: 1px solid var(--hair);
  border-left: 3px solid var(--ink);
  padding: 8px 12px;
  margin: 6px 0;
}
.share {
  display: inline-block;
  width: auto;
  padding: 2px 28px 2px 6px;
}
.many .btn {
  margin: 2px 3px;
}
</style>
