<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import type { RoomPage } from '../../contract/room'
import JobSteps from '../journal/JobSteps.vue'
import { plural, size, timeZone, when } from '../kit/format'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'
import { nextNight } from './room'

/** Doing what the plan says, at night; and the waves that were planned. */
const props = defineProps<{ page: RoomPage }>()
const session = useSession()
const client = useQueryClient()
const from = ref(1)
const until = ref(5)
const keepDays = ref(3)
const tonight = ref(true)
const sure = ref(false)
const opened = ref<string | null>(null)
const night = computed(() =>
  tonight.value ? nextNight(Date.now(), from.value, until.value, timeZone.value) : { fromMs: Date.now(), untilMs: Date.now() + 4 * 3_600_000 },
)
const inUse = computed(() => props.page.moves.filter(({ inUse: now }) => now).length)
const refresh = () => client.invalidateQueries({ queryKey: ['room'] })
const { mutate, error, isPending } = useMutation({
  mutationFn: () =>
    call('waveNew', { body: { moves: props.page.moves.map(({ id, to }) => ({ id, to })), keepDays: keepDays.value, ...night.value } }),
  onSuccess: async () => {
    sure.value = false
    await refresh()
  },
})
const { mutate: callOff, error: notOff } = useMutation({ mutationFn: (id: string) => call('waveCancel', { params: { id } }), onSuccess: refresh })
const STATES = { waiting: 'waits', running: 'under way', done: 'done', cancelled: 'called off' } as const
</script>

<template>
  <template v-if="page.moves.length">
    <h2>Do it at night</h2>
    <p v-if="!session.isAdministrator" class="quiet small">Your role does not include this.</p>
    <template v-else>
      <label class="row-label"><span>At night</span><input v-model="tonight" type="checkbox" /></label>
      <label v-if="tonight" class="row-label"
        >between
        <span
          ><input v-model.number="from" type="number" class="form-control num" min="0" max="23" aria-label="From hour" /> and
          <input v-model.number="until" type="number" class="form-control num" min="0" max="23" aria-label="Until hour" /> h</span
        ></label
      >
      <label class="row-label"
        >keep the old ones for
        <span
          ><input v-model.number="keepDays" type="number" class="form-control num" min="0" max="90" aria-label="Keep the old ones, days" /> days</span
        ></label
      >
      <p class="small">
        {{ plural(page.moves.length, 'person', 'people') }} cannot log on with their container while it is their turn; nobody else is touched.
        <template v-if="inUse"
          >{{ plural(inUse, 'container is', 'containers are') }} in use now: what is still in use then stays for the next night.</template
        >
        <template v-if="keepDays > 0"> The old ones take their room until they are deleted.</template
        ><template v-else> <strong>The old ones are deleted at once.</strong></template>
      </p>
      <label class="small"
        ><input v-model="sure" type="checkbox" /> Move {{ size(page.bytes) }}
        {{ tonight ? `from ${when(night.fromMs)} until ${when(night.untilMs)}` : 'now' }}.</label
      >
      <BButton variant="primary" class="go" :disabled="!sure || isPending" @click="mutate()">{{ tonight ? 'Plan the wave' : 'Move now' }}</BButton>
      <p v-if="error" class="madder" role="alert">{{ problemWords(error) }}</p>
    </template>
  </template>
  <template v-if="page.waves.length">
    <h2>Waves</h2>
    <div v-for="wave in page.waves.slice(0, 6)" :key="wave.id" class="wave" role="group" :aria-label="wave.title">
      <strong>{{ STATES[wave.state] }}</strong> {{ wave.title }}
      <div class="quiet small">
        {{ when(wave.fromMs) }} to {{ when(wave.untilMs) }}, {{ size(wave.bytes) }}, {{ wave.author
        }}<template v-if="wave.note">. {{ wave.note }}</template>
      </div>
      <BButton v-if="(wave.state === 'waiting' || wave.state === 'running') && session.isAdministrator" variant="link" @click="callOff(wave.id)"
        >Call it off</BButton
      >
      <BButton v-if="wave.job" variant="link" class="ms-2" @click="opened = opened === wave.job ? null : wave.job">Steps</BButton>
      <JobSteps v-if="wave.job && opened === wave.job" :id="wave.job" />
    </div>
    <p v-if="notOff" class="madder" role="alert">{{ problemWords(notOff) }}</p>
  </template>
</template>

<style scoped>
.wave {
  border-top: 1px solid var(--hair);
  padding: 6px 0;
}
</style>
