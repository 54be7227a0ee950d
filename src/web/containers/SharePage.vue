<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { count, day, exact, percent, plural, size } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'
import HoursPicture from './HoursPicture.vue'
import RoomPicture from './RoomPicture.vue'
import ShareAccess from './ShareAccess.vue'
import ShareNaming from './ShareNaming.vue'
import SharePermissions from './SharePermissions.vue'
import { growthWords, usualLatency, weekWords, weightClass } from './words'

const props = defineProps<{ id: string }>()
const session = useSession()
const client = useQueryClient()
const router = useRouter()
const key = computed(() => ['share', props.id])
const {
  data: share,
  isPending,
  error,
  refetch,
} = useQuery({ queryKey: key, queryFn: ({ signal }) => call('share', { params: { id: props.id } }, signal) })
const { mutate: choose, error: refused } = useMutation({
  mutationFn: (group: string) => call('shareGroup', { params: { id: props.id }, body: { group } }),
  onSuccess: (page) => {
    client.setQueryData(key.value, page)
  },
})
const iops = ref<number | ''>('')
const { mutate: say } = useMutation({
  mutationFn: () => call('shareBears', { params: { id: props.id }, body: { iops: Number(iops.value) } }),
  onSuccess: () => client.invalidateQueries({ queryKey: key.value }),
})
const { mutate: forget } = useMutation({ mutationFn: () => call('shareForget', { params: { id: props.id } }), onSuccess: () => router.push('/room') })
const usualMs = computed(() => usualLatency(share.value?.samples ?? []))
const growth = computed(() => (share.value ? growthWords(share.value) : ''))
</script>

<template>
  <PageState v-if="!share" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1 class="mono">{{ share.path }}</h1>
      <div class="sub">
        <template v-if="share.zone || share.redundancy"
          >{{ [share.zone && `zone ${share.zone}`, share.redundancy].filter(Boolean).join(', ') }} ·
        </template>
        <RouterLink :to="{ path: '/containers', query: { share: share.path } }">{{ plural(share.containers, 'container') }}</RouterLink>,
        {{ share.held }} held<template v-if="share.latencyMs !== null">
          · latency {{ share.latencyMs.toFixed(1) }} ms<template v-if="usualMs !== null">, usual {{ usualMs.toFixed(1) }} ms</template></template
        >
      </div>
      <h2>Room</h2>
      <p class="lead">
        {{ size(share.freeBytes) }} free of {{ size(share.totalBytes) }} ({{ percent(share.freeBytes / share.totalBytes) }}). {{ growth
        }}<template v-if="share.full">
          Full on <strong :title="exact(share.full.atMs)">{{ day(share.full.atMs) }}</strong>,
          {{
            share.full.latestMs === null
              ? `at the earliest ${day(share.full.earliestMs)}, perhaps never`
              : `between ${day(share.full.earliestMs)} and ${day(share.full.latestMs)}`
          }}, if it goes on so.</template
        >
        {{ weekWords(share.week) }}
      </p>
      <RoomPicture v-if="share.samples.length > 1" :share="share" />
      <template v-if="share.drivers.length">
        <h2>Who drives it</h2>
        <table class="plain" aria-label="Who drives the growth">
          <tbody>
            <tr v-for="one in share.drivers" :key="one.id">
              <td class="nowrap">
                <RouterLink v-if="one.name && one.person" class="plum" :to="`/people/${encodeURIComponent(one.person)}`">{{
                  one.name
                }}</RouterLink><span v-else class="quiet">nobody</span>
              </td>
              <td class="number">{{ size(one.grewBytes) }} more in {{ plural(one.days, 'day') }}</td>
              <td class="number">
                <RouterLink :to="`/containers/${encodeURIComponent(one.id)}`" title="Its container">{{ size(one.bytes) }} now</RouterLink>
              </td>
            </tr>
          </tbody>
        </table>
      </template>
      <template v-if="share.hours.some(({ logons }) => logons > 0)">
        <h2>Load by hour, over the last 14 days</h2>
        <HoursPicture :hours="share.hours" />
      </template>
      <h2>Who may use it</h2>
      <p v-if="share.unread" class="madder" role="alert">{{ share.unread }}</p>
      <p v-if="!share.group" class="quiet">
        No group of the directory has a security identifier, so that permissions cannot be told apart by it. The directory import can give them (sid).
      </p>
      <template v-else>
        <p class="lead">
          For
          <select
            class="form-select group"
            aria-label="Group"
            :value="share.group.id"
            :disabled="!session.isAdministrator"
            @change="choose(($event.target as HTMLSelectElement).value)"
          >
            <option v-for="one in share.groups" :key="one">{{ one }}</option>
          </select>
          <span class="quiet"
            >{{ count(share.group.members) }} people<template v-if="!share.group.chosen">; taken for it because most people are in it</template></span
          >
        </p>
        <p v-if="refused" class="madder" role="alert">{{ problemWords(refused) }}</p>
        <p v-if="share.findings.length === 0 && !share.unread">Nothing is wrong: people can make their own folder, and open nobody else’s.</p>
        <ul v-else class="findings" aria-label="Wrong with the permissions">
          <li v-for="one in share.findings" :key="one.code + one.sentence">
            <span :class="weightClass(one.weight)"
              ><span aria-hidden="true">{{ one.weight === 'now' ? '▲' : one.weight === 'soon' ? '△' : '○' }}</span> {{ one.sentence }}</span
            >
            <span class="quiet small">{{ one.why }}</span>
          </li>
        </ul>
        <SharePermissions v-for="layer in share.layers" :key="layer.layer" :share-id="share.id" :layer="layer" :members="share.group.members" />
      </template>
    </section>
    <aside class="margin" aria-label="What one person may do">
      <ShareAccess :id="share.id" />
      <h2>What it bears</h2>
      <p>
        {{ share.bearsIops === null ? 'Nobody said how many operations a second it bears.' : `${count(share.bearsIops)} operations a second.` }}
        <RouterLink to="/room">Room on the shares</RouterLink>
      </p>
      <form v-if="session.isAdministrator" class="bears" @submit.prevent="say()">
        <input
          v-model.number="iops"
          type="number"
          min="1"
          class="form-control"
          aria-label="Operations a second"
          placeholder="operations a second"
        /><BButton type="submit" variant="outline-secondary" :disabled="!(Number(iops) >= 1)">Set</BButton>
      </form>
      <ShareNaming :id="share.id" :naming="share.naming" />
      <template v-if="share.addedBy">
        <h2>Added by hand</h2>
        <p>By {{ share.addedBy }}. No fleet tells who has its files open, so nothing is changed on it from here.</p>
        <BButton variant="outline-secondary" :disabled="!session.isAdministrator" @click="forget()">Forget this share</BButton>
        <p class="small quiet">Nothing on it is touched.</p>
      </template>
    </aside>
  </div>
</template>

<style scoped>
h1.mono {
  font-size: 22px;
  font-weight: 600;
}
.group {
  display: inline-block;
  width: auto;
  padding: 2px 32px 2px 8px;
}
.bears {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 6px;
}
.findings {
  list-style: none;
  padding: 0;
  margin: 0 0 14px;
}
.findings li {
  padding: 6px 0;
  border-top: 1px solid var(--hair);
  display: grid;
}
.findings li:last-child {
  border-bottom: 1px solid var(--hair);
}
</style>
