<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import type { Changes, PolicySet } from '../../core/policies'
import { percent, plural } from '../kit/format'
import { call, problemWords } from '../shell/api'
import { useReplays } from './limits-hook'

/** What a draft does to logons, and to the number of desktops that are held. */
const props = defineProps<{ changes: Changes; set: PolicySet }>()
const text = computed(() => JSON.stringify(props.set))
const effects = useQuery({
  queryKey: ['effects', text],
  queryFn: () => call('policyEffects', { body: { set: props.set as never } }),
  enabled: computed(() => props.changes.groups.length > 0),
})
const LIMITS = ['disconnectedMinutes', 'sessionMinutes']
const limited = computed(() => props.changes.groups.filter(({ setting }) => LIMITS.includes(setting)))
const { columns, inForce, inDraft, replayOf, error } = useReplays(computed(() => limited.value.length > 0))
const now = replayOf(inForce)
const then = replayOf(inDraft)
const gone = (one: { found: number; gone: number } | undefined) => (one && one.found + one.gone > 0 ? one.gone / (one.found + one.gone) : 0)
/** The pools in which anything changes, those first in which it changes most. */
const desktops = computed(() => {
  const [a, b] = [now.value, then.value]
  if (!a || !b) return null
  return (columns.value?.pools ?? [])
    .map((pool, i) => ({
      pool,
      before: a.pools[i]?.peak ?? 0,
      after: b.pools[i]?.peak ?? 0,
      goneBefore: gone(a.returns[i]),
      goneAfter: gone(b.returns[i]),
    }))
    .filter((one) => one.before !== one.after || one.goneBefore !== one.goneAfter)
    .sort((x, y) => Math.abs(y.after - y.before) - Math.abs(x.after - x.before))
})
const signed = (n: number) => (n > 0 ? `+${n}` : String(n).replace('-', '−'))
</script>

<template>
  <div v-if="effects.data.value?.effects.length || limited.length" class="effects">
    <h2>What that does to logons and desktops</h2>
    <div v-for="one in effects.data.value?.effects ?? []" :key="one.setting + one.sentence" class="effect">
      <strong>{{ one.title }}</strong>
      <span class="quiet small">{{ plural(one.people, 'person', 'people') }} on {{ one.pools.join(', ') || 'no pool' }}</span
      ><br />{{ one.sentence }}
    </div>
    <p v-if="effects.error.value" class="madder" role="alert">{{ problemWords(effects.error.value) }}</p>
    <template v-if="limited.length">
      <p v-if="error" class="madder" role="alert">{{ problemWords(error) }}</p>
      <p v-else-if="desktops === null" class="quiet">Going through the sessions of the last days …</p>
      <p v-else-if="desktops.length === 0" class="quiet">
        No session of the last {{ plural(Math.round(columns?.days ?? 0), 'day') }} would have gone otherwise.
      </p>
      <div v-for="one in desktops ?? []" :key="one.pool" class="effect">
        <strong>Desktops of {{ one.pool }}</strong
        ><br />At most {{ one.before }} held at once, now; {{ one.after }} then ({{ signed(one.after - one.before) }}). Of those who come back,
        {{ percent(one.goneBefore) }} find their session gone; then {{ percent(one.goneAfter) }}.
      </div>
      <p class="small"><RouterLink to="/policies/limits?how=draft">Hour by hour, and what would suit each group</RouterLink></p>
    </template>
  </div>
</template>

<style scoped>
.effect {
  border-top: 1px solid var(--hair);
  padding: 7px 0;
}
</style>
