<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { slotSays } from '../../core/containers'
import { count, percent, plural, size } from '../kit/format'
import { vKept } from '../kit/kept'
import PageState from '../kit/PageState.vue'
import { call } from '../shell/api'
import ContainerViews from './ContainerViews.vue'
import MirrorDrawing from './MirrorDrawing.vue'

const route = useRoute()
const router = useRouter()
const set = (name: string, value: string) => router.replace({ query: { ...route.query, [name]: value || undefined } })
const lost = computed(() => (typeof route.query['lost'] === 'string' ? route.query['lost'].split('|').filter((path) => path !== '') : []))
const mode = computed((): 'in-order' | 'mirrored' | undefined =>
  route.query['mode'] === 'mirrored' || route.query['mode'] === 'in-order' ? route.query['mode'] : undefined,
)
const required = computed(() => (Number(route.query['required']) >= 1 ? Number(route.query['required']) : undefined))
const query = computed(() => ({ lost: lost.value.join('|'), mode: mode.value, required: required.value }))
const { data, isPending, error, refetch } = useQuery({
  queryKey: ['loss', query],
  queryFn: ({ signal }) => call('roomLoss', { query: query.value }, signal),
  placeholderData: keepPreviousData,
})
/** The zones, and last null where a share is in none that is known. */
const zones = computed(() => {
  const all = [...new Set((data.value?.shares ?? []).map(({ zone }) => zone))]
  return [...all.filter((zone) => zone !== null), ...all.filter((zone) => zone === null)]
})
const inZone = (zone: string | null) => (data.value?.shares ?? []).filter((one) => one.zone === zone).map(({ path }) => path)
const toggle = (paths: readonly string[], on: boolean) =>
  set('lost', (on ? [...new Set([...lost.value, ...paths])] : lost.value.filter((path) => !paths.includes(path))).join('|'))
const hit = computed(() =>
  (data.value?.fates ?? []).filter(({ fate }) => fate !== 'unaffected' && fate !== 'goes on').reduce((sum, { people }) => sum + people, 0),
)
const GRAVE = new Set(['refused', 'temporary profile', 'empty profile'])
</script>

<template>
  <PageState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>
        {{
          lost.length === 0
            ? 'If a share is lost'
            : hit === 0
              ? 'Nobody would be kept from their profile'
              : `${plural(hit, 'person', 'people')} would not have their profile`
        }}
      </h1>
      <ContainerViews />
      <div class="lose" role="group" aria-label="What is lost">
        <div v-for="zone in zones" :key="zone ?? ''">
          <span v-if="zone === null" class="quiet">no zone</span>
          <label v-else
            ><input
              type="checkbox"
              :checked="inZone(zone).every((path) => lost.includes(path))"
              @change="toggle(inZone(zone), ($event.target as HTMLInputElement).checked)"
            />
            &nbsp;<strong>zone {{ zone }}</strong></label
          >
          <label v-for="path in inZone(zone)" :key="path" class="mono small"
            ><input type="checkbox" :checked="lost.includes(path)" @change="toggle([path], ($event.target as HTMLInputElement).checked)" />
            {{ path }}</label
          >
        </div>
      </div>
      <p v-if="lost.length === 0" class="quiet">
        Choose what is lost: a share, or all of a zone. Nothing is touched; it is counted from the containers, the policy and the logons of the last
        14 days.
      </p>
      <template v-else>
        <ul class="fates" aria-label="What happens to whom">
          <li v-for="one in data.fates" :key="one.fate">
            <strong :class="{ madder: GRAVE.has(one.fate) }">{{ plural(one.people, 'person', 'people') }}</strong> {{ one.sentence }}
          </li>
        </ul>
        <p v-if="data.sessionsHit">
          {{ plural(data.sessionsHit, 'session that is', 'sessions that are') }} open now would lose their profile in the middle of work.
        </p>
        <p v-if="data.onlyThere.containers">
          {{ plural(data.onlyThere.containers, 'container') }} ({{ size(data.onlyThere.bytes) }})
          {{ data.onlyThere.containers === 1 ? 'lies' : 'lie' }} nowhere else. If the share does not come back, only a backup brings them back.
        </p>
        <h2>What the others would have to bear</h2>
        <ul v-if="data.tooMuch.length" class="madder" aria-label="Too much">
          <li v-for="one in data.tooMuch" :key="one">{{ one }}</li>
        </ul>
        <table class="plain" aria-label="Shares that are left">
          <thead>
            <tr>
              <th>Share</th>
              <th>Zone</th>
              <th class="number">Containers</th>
              <th class="number">Used</th>
              <th class="number">Operations a second, at the worst</th>
              <th class="number">It bears</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in data.left" :key="one.path">
              <td class="mono">{{ one.path }}</td>
              <td>{{ one.zone }}</td>
              <td class="number">{{ count(one.containers) }}</td>
              <td class="number">{{ size(one.usedBytes) }}, {{ percent(one.usedBytes / one.totalBytes) }}</td>
              <td class="number">{{ count(Math.round(one.peakIops)) }} at {{ slotSays(one.peakSlot) }}</td>
              <td class="number">{{ one.bearsIops === null ? 'not said' : count(one.bearsIops) }}</td>
            </tr>
          </tbody>
        </table>
        <h2>By pool</h2>
        <table class="plain" aria-label="By pool">
          <tbody>
            <tr v-for="one in data.pools" :key="one.pool">
              <td>{{ one.pool }}</td>
              <td class="number">{{ count(one.hit) }} of {{ count(one.people) }} people</td>
            </tr>
          </tbody>
        </table>
      </template>
      <MirrorDrawing
        v-if="data.locations.length > 0"
        :key="data.locations.length"
        :locations="data.locations.map(({ location }) => location)"
        :required="data.required"
        :on-failure="data.onFailure"
      />
    </section>
    <aside class="margin" aria-label="What the policy says">
      <h2>What the policy says of locations</h2>
      <label class="d-block"
        ><input type="radio" name="mode" :checked="data.mode === 'in-order'" @change="set('mode', 'in-order')" /> The first that can be had</label
      >
      <label class="d-block"
        ><input type="radio" name="mode" :checked="data.mode === 'mirrored'" @change="set('mode', 'mirrored')" /> All at once, mirrored</label
      >
      <label v-if="data.mode === 'mirrored'"
        >must be writable
        <input
          type="number"
          class="form-control num"
          min="1"
          :max="data.locations.length"
          v-kept="data.required"
          aria-label="Locations that must be writable"
          @change="set('required', ($event.target as HTMLInputElement).value)"
        />
        of {{ data.locations.length }}</label
      >
      <ol class="mono small">
        <li v-for="one in data.locations" :key="one.location" :class="{ madder: one.share !== null && lost.includes(one.share) }">
          {{ one.location }}<span v-if="one.share === null" class="ochre"> on no known share</span>
        </li>
      </ol>
      <p class="small quiet">Here it can be tried. What holds is said on <RouterLink to="/policies/base">the base policy</RouterLink>.</p>
      <h2>How it is counted</h2>
      <p class="small">
        A host takes the container where it lies. Where that share cannot be had, it makes a new, empty one at the first location that can. Mirrored,
        every location has all containers.
      </p>
    </aside>
  </div>
</template>

<style scoped>
.lose {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 28px;
  margin: 4px 0 12px;
}
.lose label {
  display: block;
}
.fates {
  list-style: none;
  padding: 0;
  font-size: 16px;
  max-width: 72ch;
}
.fates li {
  padding: 4px 0;
}
ol {
  padding-left: 18px;
  margin: 8px 0;
}
</style>
