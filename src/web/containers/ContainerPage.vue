<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { day, exact, percent, plural, size, when } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { call } from '../shell/api'
import ContainerActions from './ContainerActions.vue'
import FileStrips from './FileStrips.vue'
import { growthSays, offsetWords, weightClass } from './words'

const props = defineProps<{ id: string }>()
const {
  data: page,
  isPending,
  error,
  refetch,
} = useQuery({ queryKey: ['container', computed(() => props.id)], queryFn: ({ signal }) => call('container', { params: { id: props.id } }, signal) })
const container = computed(() => page.value?.container)
const SUMS = { fits: 'checksum fits', 'does not fit': 'checksum does not fit', none: '' } as const
</script>

<template>
  <PageState v-if="!page || !container" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>
        <RouterLink v-if="container.person && container.name" class="plum" :to="`/people/${encodeURIComponent(container.person)}`">{{
          container.name
        }}</RouterLink><template v-else>A container of nobody</template>
      </h1>
      <div class="sub mono">{{ container.id }}</div>
      <p v-if="page.unreadable" class="madder" role="alert">{{ page.unreadable }}</p>
      <p v-else class="lead">
        {{ size(container.allocatedBytes) }} written of {{ size(container.virtualBytes) }} ({{
          percent(container.allocatedBytes / Math.max(1, container.virtualBytes))
        }}), in a file of {{ size(container.fileBytes) }}; {{ page.parent ? 'a child of' : `${container.format.toUpperCase()}, ${container.kind}`
        }}<template v-if="page.parent">
          <span class="mono">{{ page.parent }}</span></template
        >, {{ page.blockBytes ? `blocks of ${size(page.blockBytes)}` : 'without blocks' }}.
        <template v-if="container.grewBytes && container.grewSinceMs"
          >{{ growthSays(container.grewBytes) }} since {{ day(container.grewSinceMs) }}.
        </template>
        <span v-if="container.lastUsedMs" class="quiet" :title="exact(container.lastUsedMs)">Last used {{ when(container.lastUsedMs) }}.</span>
      </p>
      <ul v-if="container.upkeep.length" class="upkeep" aria-label="To look at">
        <li v-for="one in container.upkeep" :key="one.code" :class="weightClass(one.weight)">
          <span aria-hidden="true">{{ one.weight === 'now' ? '▲' : one.weight === 'soon' ? '△' : '○' }}</span> {{ one.sentence }}
        </li>
      </ul>
      <FileStrips v-if="page.layout.length" :page="page" />
      <h2 v-if="page.findings.length">What is wrong in it</h2>
      <table v-if="page.findings.length" class="plain" aria-label="Findings in the structure">
        <thead>
          <tr>
            <th class="number">At byte</th>
            <th>What</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in page.findings" :key="one.code + one.offset">
            <td class="number mono" :title="offsetWords(one.offset)">{{ one.offset.toLocaleString('en-GB') }}</td>
            <td>
              {{ one.sentence }} <span class="mono quiet">{{ one.code }}</span>
            </td>
          </tr>
        </tbody>
      </table>
      <template v-if="page.structures.length">
        <h2>Its structures</h2>
        <details v-for="one in page.structures" :key="one.name" :open="one.checksum === 'does not fit'">
          <summary>
            <strong>{{ one.name }}</strong>
            <span class="quiet">at {{ offsetWords(one.offset) }}<template v-if="SUMS[one.checksum]">, </template></span
            ><span :class="one.checksum === 'does not fit' ? 'madder' : 'quiet'">{{ SUMS[one.checksum] }}</span
            ><span class="quiet">, {{ plural(one.values.length, 'value') }}</span>
          </summary>
          <table class="plain" :aria-label="one.name">
            <tbody>
              <tr v-for="value in one.values" :key="value.name + value.offset">
                <td class="mono number quiet">{{ value.offset.toLocaleString('en-GB') }}</td>
                <td>{{ value.name }}</td>
                <td class="mono value">{{ value.value }}</td>
                <td class="quiet">{{ value.meaning }}</td>
              </tr>
            </tbody>
          </table>
        </details>
      </template>
    </section>
    <aside class="margin" aria-label="What can be done"><ContainerActions :page="page" /></aside>
  </div>
</template>

<style scoped>
.upkeep {
  list-style: none;
  padding: 0;
  margin: 4px 0 14px;
}
.upkeep li {
  padding: 4px 0;
  border-top: 1px solid var(--hair);
}
.upkeep li:last-child {
  border-bottom: 1px solid var(--hair);
}
details {
  border-top: 1px solid var(--hair);
  padding: 6px 0;
}
summary {
  cursor: pointer;
}
.value {
  overflow-wrap: anywhere;
}
</style>
