<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import type { ContainerPage } from '../../contract/containers'
import JobSteps from '../journal/JobSteps.vue'
import { exact, plural, size } from '../kit/format'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'

const props = defineProps<{ page: ContainerPage }>()
const session = useSession()
type Kind = ContainerPage['actions'][number]['kind']
const chosen = ref<Kind | null>(null)
const sure = ref(false)
const jobId = ref<string | null>(null)
const MOVES: ReadonlySet<Kind> = new Set<Kind>(['move', 'archive', 'copy'])
const toShare = ref(props.page.otherShares[0]?.id ?? '')
const keepDays = ref(3)
const growGib = ref(Math.ceil(props.page.container.virtualBytes / 2 ** 30) + 10)
const possible = computed(() => props.page.actions.filter(({ whyNot }) => whyNot === null))
const impossible = computed(() => props.page.actions.filter(({ whyNot }) => whyNot !== null))
const id = computed(() => props.page.container.id)
const {
  data: room,
  refetch: countRoom,
  isFetching: counting,
  error: roomError,
} = useQuery({
  queryKey: ['container-room', id, computed(() => props.page.container.fileBytes)],
  queryFn: () => call('containerRoom', { params: { id: id.value } }),
  enabled: false,
  retry: false,
})
const { mutate, error, isPending } = useMutation({
  mutationFn: (kind: Kind) =>
    call('containerJob', {
      params: { id: id.value },
      body: {
        kind,
        ...(MOVES.has(kind) ? { toShare: toShare.value, keepDays: keepDays.value } : {}),
        ...(kind === 'grow' ? { virtualBytes: growGib.value * 2 ** 30 } : {}),
      },
    }),
  onSuccess: (job) => {
    jobId.value = job.id
  },
})
function choose(kind: Kind): void {
  chosen.value = kind
  sure.value = false
  jobId.value = null
}
</script>

<template>
  <h2>Who has it</h2>
  <p v-if="page.container.holderHost" :class="{ madder: page.container.holderAlive === false }">
    <span class="mono">{{ page.container.holderHost }}</span> for session <span class="mono">{{ page.container.holderSession }}</span><template
      v-if="page.container.holderAlive === false"
      >, which does not live</template
    >. <span v-if="page.container.heldSinceMs" class="quiet small">since {{ exact(page.container.heldSinceMs) }}</span>
  </p>
  <p v-else class="quiet">Nobody: it is free.</p>
  <h2>What compaction would give back</h2>
  <p v-if="room">
    {{
      room.blocks === 0
        ? 'Nothing: every block in the file holds something.'
        : `${size(room.bytes)}: ${plural(room.blocks, 'block holds', 'blocks hold')} only zeros.`
    }}
  </p>
  <p v-else-if="roomError" class="madder" role="alert">{{ problemWords(roomError) }}</p>
  <p v-else-if="page.container.format === 'vhd' && page.container.kind === 'fixed'" class="quiet">A VHD of full size has no blocks to leave out.</p>
  <BButton v-else variant="link" :disabled="counting" @click="countRoom()">{{
    counting ? 'Reading the blocks…' : 'Read the blocks and count'
  }}</BButton>
  <h2>What can be done</h2>
  <p v-if="!session.isAdministrator" class="quiet small">Your role does not include this.</p>
  <div v-for="one in possible" :key="one.kind" class="action">
    <BButton
      variant="outline-secondary"
      class="go"
      :disabled="!session.isAdministrator"
      :aria-expanded="chosen === one.kind"
      @click="choose(one.kind)"
      >{{ one.title }}…</BButton
    >
    <div v-if="chosen === one.kind && !jobId" class="sure">
      <p class="small">{{ one.sentence }}</p>
      <p class="small">
        <template v-if="page.container.name"
          ><strong>{{ page.container.name }}</strong> cannot log on with it while this runs; nobody else is touched.</template
        ><template v-else>It belongs to nobody, so nobody is touched.</template>
      </p>
      <label v-if="one.kind === 'grow'" class="small"
        >New size
        <input
          v-model.number="growGib"
          type="number"
          class="form-control gib"
          :min="Math.ceil(page.container.virtualBytes / 2 ** 30) + 1"
          max="65536"
        />
        GiB</label
      >
      <template v-if="MOVES.has(one.kind)">
        <p v-if="page.otherShares.length === 0" class="small madder">There is no other share.</p>
        <label class="small d-block"
          >To
          <select v-model="toShare" class="form-select share" aria-label="To which share">
            <option v-for="share in page.otherShares" :key="share.id" :value="share.id">{{ share.path }}, {{ size(share.freeBytes) }} free</option>
          </select></label
        >
        <label v-if="one.kind === 'move'" class="small d-block"
          >Keep the old one for
          <input v-model.number="keepDays" type="number" class="form-control gib" min="0" max="90" aria-label="Keep the old one, days" /> days</label
        >
        <label v-if="one.kind === 'archive'" class="small d-block"
          ><input v-model="sure" type="checkbox" /> I know that they begin with an empty profile.</label
        >
      </template>
      <label v-if="one.kind === 'set-aside'" class="small"
        ><input v-model="sure" type="checkbox" /> I know that they begin with an empty profile.</label
      >
      <BButton
        variant="primary"
        class="go"
        :disabled="isPending || ((one.kind === 'set-aside' || one.kind === 'archive') && !sure) || (MOVES.has(one.kind) && toShare === '')"
        @click="mutate(one.kind)"
        >{{ one.title }}</BButton
      >
    </div>
  </div>
  <p v-if="error" class="madder" role="alert">{{ problemWords(error) }}</p>
  <JobSteps v-if="jobId" :id="jobId" :key="jobId" />
  <template v-if="impossible.length">
    <h2>What cannot be done now</h2>
    <dl class="small">
      <template v-for="one in impossible" :key="one.kind"
        ><dt>{{ one.title }}</dt>
        <dd class="quiet">{{ one.whyNot }}</dd></template
      >
    </dl>
  </template>
</template>

<style scoped>
.share {
  padding: 2px 28px 2px 6px;
}
.gib {
  display: inline-block;
  width: 90px;
  padding: 2px 6px;
}
dt {
  font-weight: 500;
}
dd {
  margin: 0 0 6px;
}
</style>
