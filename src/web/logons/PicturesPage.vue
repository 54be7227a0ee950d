<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { count, duration, percent } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { call } from '../shell/api'
import { useWindow } from '../shell/window'
import LogonViews from './LogonViews.vue'
import PhasesPicture from './PhasesPicture.vue'
import WeekPicture from './WeekPicture.vue'

const { fromMs, toMs, chosen } = useWindow()
const { data, isPending, error, refetch } = useQuery({
  queryKey: ['pictures', computed(() => chosen.value.id)],
  queryFn: ({ signal }) => call('pictures', { query: { fromMs: fromMs.value, toMs: toMs.value } }, signal),
  placeholderData: keepPreviousData,
})
const DAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday']
const worst = computed(() => {
  const cells = (data.value?.week ?? []).map((cell, slot) => ({ ...cell, slot })).filter(({ n }) => n >= 10)
  return cells.sort((a, b) => b.bad / b.n - a.bad / a.n)[0] ?? null
})
const slotWords = (slot: number) => `${DAYS[Math.floor(slot / 24)]} ${String(slot % 24).padStart(2, '0')}:00`
</script>

<template>
  <div class="page">
    <section class="work">
      <h1>Logons as pictures</h1>
      <div class="sub">The {{ chosen.title }}. Every field leads to the logons behind it.</div>
      <LogonViews />
      <PageState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
      <template v-else>
        <h2>Where the time went, hour by hour</h2>
        <PhasesPicture :pictures="data" />
        <h2>A week by hours</h2>
        <WeekPicture :pictures="data" />
      </template>
    </section>
    <aside class="margin" aria-label="What the pictures show">
      <template v-if="data">
        <h2>The hour to look at</h2>
        <p v-if="!worst || worst.bad === 0" class="quiet">No hour of the week stands out.</p>
        <p v-else>
          {{ slotWords(worst.slot) }}: {{ count(worst.bad) }} of {{ count(worst.n) }} logons cost time ({{ percent(worst.bad / worst.n) }}), median
          {{ duration(worst.medianMs ?? 0) }}.
        </p>
      </template>
      <p class="quiet small">
        Means and counts are of logons that got in, from roll-ups by hour. How long cohorts take, one beside the other:
        <RouterLink to="/logons/compare">Compared</RouterLink>. The day against the usual band: <RouterLink to="/">Today</RouterLink>.
      </p>
    </aside>
  </div>
</template>
