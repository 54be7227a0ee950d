<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import type { PoliciesPage, Rollout } from '../../contract/policies'
import { clock, count, duration, percent, plural, when } from '../kit/format'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'

/** A version on its way: its waves, and the logons of those who have it beside the others. */
defineProps<{ rollout: Rollout }>()
const emit = defineEmits<{ stepped: [page: PoliciesPage] }>()
const session = useSession()
const step = useMutation({
  mutationFn: (what: 'next' | 'pause' | 'go on' | 'back') => call('rolloutStep', { body: { what } }),
  onSuccess: (page) => emit('stepped', page),
})
const LINES = [
  ['with', 'have it'],
  ['without', 'have it not yet'],
] as const
</script>

<template>
  <section class="rollout" aria-label="On its way">
    <h2>Version {{ rollout.version }} {{ rollout.state === 'back' ? 'was taken back' : 'is on its way' }}</h2>
    <ol>
      <li v-for="(wave, i) in rollout.waves" :key="i" :class="{ reached: i < rollout.reached }">
        <span aria-hidden="true">{{ i < rollout.reached ? '│' : '┆' }}</span> {{ wave.title
        }}<span v-if="wave.hosts.length" class="quiet small">&ensp;{{ plural(wave.hosts.length, 'host') }}</span>
        <span v-if="i === rollout.reached && rollout.state !== 'back'" class="small ochre"
          >&ensp;{{ rollout.state === 'paused' ? 'paused' : rollout.nextMs ? `at ${clock(rollout.nextMs)}` : '' }}</span
        >
      </li>
    </ol>
    <table class="plain" aria-label="Logons of both">
      <thead>
        <tr>
          <th>Logons since {{ when(rollout.startedMs) }}</th>
          <th class="number">All</th>
          <th class="number">Failed</th>
          <th class="number">Slow</th>
          <th class="number">Middle</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="[side, title] in LINES" :key="side">
          <td>of those who {{ title }}</td>
          <td class="number">{{ count(rollout.logons[side].count) }}</td>
          <td class="number">{{ rollout.logons[side].count ? percent(rollout.logons[side].failed / rollout.logons[side].count) : '–' }}</td>
          <td class="number">{{ rollout.logons[side].count ? percent(rollout.logons[side].slow / rollout.logons[side].count) : '–' }}</td>
          <td class="number">{{ rollout.logons[side].medianMs === null ? '–' : duration(rollout.logons[side].medianMs ?? 0) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="session.isAdministrator && rollout.state !== 'back'" class="acts">
      <BButton variant="outline-secondary" @click="step.mutate('next')">Next wave now</BButton>
      <BButton v-if="rollout.state === 'going'" variant="outline-secondary" @click="step.mutate('pause')">Pause</BButton>
      <BButton v-else variant="outline-secondary" @click="step.mutate('go on')">Go on</BButton>
      <BButton variant="outline-secondary" @click="step.mutate('back')">Stop, and back to version {{ rollout.previous }}</BButton>
    </p>
    <p v-if="step.error.value" class="madder" role="alert">{{ problemWords(step.error.value) }}</p>
  </section>
</template>

<style scoped>
.rollout {
  border-left: 2px solid var(--ochre);
  padding-left: 16px;
  margin-bottom: 18px;
}
ol {
  list-style: none;
  padding: 0;
}
li {
  color: var(--ink-2);
}
li.reached {
  color: var(--ink);
}
.acts {
  display: flex;
  gap: 10px;
  margin-top: 8px;
}
</style>
