<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { ago, when } from '../kit/format'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'
import EffectiveList from '../policies/EffectiveList.vue'
import { tryLink } from '../policies/set'

/** What applies to somebody’s sessions: what should be in force and why, beside what the host reports. */
const props = defineProps<{ person: string }>()
const session = useSession()
const { data } = useQuery({
  queryKey: ['session-policies', computed(() => props.person)],
  queryFn: () => call('sessionsOfPerson', { params: { id: props.person } }),
  enabled: computed(() => session.me?.role !== 'viewer'),
})
const open = ref<string | null>(null)
const tell = useMutation({ mutationFn: (at: { host: string; session: string }) => call('sessionTell', { body: at }) })
</script>

<template>
  <template v-if="data?.sessions.length">
    <h2>What applies to their sessions</h2>
    <div v-for="one in data.sessions" :key="one.session" class="one">
      <p>
        <span class="mono">{{ one.host }}</span> {{ one.state }} since {{ when(one.sinceMs)
        }}<template v-if="one.endsMs">, logged off {{ when(one.endsMs) }}</template
        >:
        <strong
          :class="{
            moss: one.verdict === 'as it should be',
            madder: one.verdict === 'differs',
            ochre: one.verdict !== 'as it should be' && one.verdict !== 'differs',
          }"
          >{{ one.verdict }}</strong
        >
        <span class="quiet small"
          >, version {{ one.reportedVersion ?? '–' }} of {{ one.version
          }}<template v-if="one.reportedMs">, reported {{ ago(one.reportedMs, Date.now()) }}</template></span
        >
      </p>
      <p v-for="difference in one.differences" :key="difference.setting" class="small ochre">
        {{ difference.title }}: {{ difference.reported }}, should be {{ difference.should }}; takes effect: {{ difference.takesEffect }}
      </p>
      <p v-if="one.way" class="small" :class="{ madder: one.way.verdict === 'against the policy', quiet: one.way.verdict === 'as the policy says' }">
        {{ one.way.sentence }} <RouterLink :to="`/logons/${encodeURIComponent(one.way.attempt)}`">its logon</RouterLink>
      </p>
      <p class="small">
        <BButton variant="link" @click="open = open === one.session ? null : one.session">{{
          open === one.session ? 'Hide' : 'Every setting, and why'
        }}</BButton>
        <BButton variant="link" @click="tell.mutate({ host: one.host, session: one.session })">Tell them in short</BButton>
        <RouterLink :to="tryLink(one.facts)">Try other facts</RouterLink>
        <RouterLink :to="{ path: '/logons', query: { person } }">their logons</RouterLink>
      </p>
      <template v-if="tell.variables.value?.session === one.session">
        <p v-if="tell.error.value" class="madder" role="alert">{{ problemWords(tell.error.value) }}</p>
        <blockquote v-else-if="tell.data.value" class="small" role="status">
          Sent:<br /><span v-for="line in tell.data.value.text.split('\n')" :key="line">{{ line }}<br /></span>
        </blockquote>
      </template>
      <EffectiveList v-if="open === one.session" :effective="one.effective" />
    </div>
  </template>
</template>

<style scoped>
.one {
  border-top: 1px solid var(--hair);
  padding: 6px 0;
}
blockquote {
  border-left: 2px solid var(--hair);
  padding-left: 10px;
}
</style>
