<script setup lang="ts">
import { computed, ref } from 'vue'
import { AREAS, settingOf, type Effective } from '../../core/policies'

/** Every setting with its value, the policy that decided, and why the others did not. */
const props = defineProps<{ effective: Effective; ask?: ((policy: string, setting: string) => void) | undefined }>()
const text = ref('')
const areas = computed(() =>
  AREAS.map((area) => ({
    area,
    settings: props.effective.settings.filter(
      (one) =>
        settingOf(one.setting)?.area === area &&
        (text.value === '' ||
          `${one.title} ${one.said} ${one.winnerName} ${one.losers.map(({ name }) => name).join(' ')}`
            .toLowerCase()
            .includes(text.value.toLowerCase())),
    ),
  })).filter(({ settings }) => settings.length),
)
</script>

<template>
  <div class="toolbar">
    <input v-model="text" class="form-control" type="search" placeholder="Setting, value or policy" aria-label="Filter the settings" />
  </div>
  <table class="plain effective" aria-label="What would be in force">
    <tbody v-for="group in areas" :key="group.area">
      <tr>
        <th colspan="3">{{ group.area }}</th>
      </tr>
      <tr v-for="one in group.settings" :key="one.setting">
        <td class="name">{{ one.title }}</td>
        <td>
          <strong :class="{ quiet: one.idle }">{{ one.said }}</strong>
          <div v-if="one.idle" class="small ochre">{{ one.idle.sentence }}</div>
        </td>
        <td>
          <RouterLink v-if="one.winner !== 'base' && one.winner !== 'default'" :to="`/policies/order/${one.winner}`">{{
            one.winnerName
          }}</RouterLink><span v-else class="quiet">{{ one.winnerName }}</span>
          <template v-if="one.parts.length > 1"
            ><span class="quiet small"> with {{ one.parts.slice(1).join(', ') }}</span></template
          >
          <details v-if="one.losers.length" class="small">
            <summary>{{ one.losers.length === 1 ? 'one other lost' : `${one.losers.length} others lost` }}</summary>
            <div v-for="loser in one.losers" :key="loser.policy" class="loser">
              <strong>{{ loser.name }}</strong> {{ loser.reason.sentence }}
              <template v-if="loser.reason.findings && loser.reason.findings.length > 1">
                <div v-for="finding in loser.reason.findings" :key="finding.part" class="quiet">needed {{ finding.needed }}; {{ finding.found }}</div>
              </template>
              <BButton v-if="ask && loser.policy !== 'base'" variant="link" class="small" @click="ask(loser.policy, one.setting)">Why not?</BButton>
            </div>
          </details>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.effective th {
  padding-top: 14px;
  font-weight: 600;
}
.effective td {
  vertical-align: top;
}
.name {
  width: 30%;
}
.loser {
  border-left: 2px solid var(--hair);
  padding: 3px 0 3px 10px;
  margin: 3px 0;
}
</style>
