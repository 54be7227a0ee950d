<script setup lang="ts">
import type { ChangeGroup } from '../../core/policies'
import { FACTS } from '../../core/policies'
import { plural, when } from '../kit/format'

/** Differences between two sets, each with whom it concerns. */
defineProps<{ groups: readonly ChangeGroup[]; names?: boolean }>()
const factTitle = (fact: string) => (fact === 'atMs' ? 'time' : fact === 'factor' ? 'sign-on' : (FACTS[fact as keyof typeof FACTS]?.title ?? fact))
</script>

<template>
  <div v-for="group in groups" :key="group.setting + group.before + group.after" class="change">
    <strong>{{ group.title }}</strong>
    <span v-if="group.direction === 'looser'" class="looser">&ensp;looser</span
    ><span v-else-if="group.direction === 'stricter'" class="quiet small">&ensp;stricter</span><br />
    <span class="quiet">{{ group.before }}</span> → {{ group.after }}
    <div class="small">
      {{ plural(group.people, 'person', 'people') }} on {{ group.pools.join(', ') || 'no pool'
      }}<template v-for="one in group.only" :key="one.fact"
        >; {{ factTitle(one.fact) }}:
        {{
          one.values
            .slice(0, 6)
            .map((value) => (one.fact === 'atMs' ? `from ${when(Date.parse(value))}` : value))
            .join(', ')
        }}<template v-if="one.values.length > 6"> …</template></template
      >
    </div>
    <details v-if="names" class="small">
      <summary>who</summary>
      <span v-for="(id, i) in group.some" :key="id"
        ><template v-if="i">, </template><RouterLink class="mono" :to="`/people/${encodeURIComponent(id)}`">{{ id }}</RouterLink></span
      >
      <template v-if="group.people > group.some.length"> and {{ group.people - group.some.length }} more</template>
    </details>
    <div v-if="names" class="quiet small">takes effect: {{ group.takesEffect }}</div>
  </div>
</template>

<style scoped>
.change {
  border-top: 1px solid var(--hair);
  padding: 7px 0;
}
.looser {
  color: var(--ochre);
  font-weight: 600;
  font-size: 12.5px;
}
</style>
