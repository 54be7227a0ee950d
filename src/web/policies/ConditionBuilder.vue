<script setup lang="ts">
import { computed } from 'vue'
import { FACTS, isGroupOf, leafOf, partsOf, type Condition, type FactName } from '../../core/policies'
import LeafFields from './LeafFields.vue'

/** A condition by clicking: parts under all, any or none, each a fact or parts again. */
const props = defineProps<{ modelValue: Condition; known: Readonly<Record<string, readonly string[]>>; deep?: number }>()
const emit = defineEmits<{ 'update:modelValue': [condition: Condition]; remove: [] }>()
const group = computed(() => (isGroupOf(props.modelValue) ? props.modelValue : null))
const op = computed(() => (group.value ? ('all' in group.value ? 'all' : 'any' in group.value ? 'any' : 'none') : 'all'))
const parts = computed(() => (group.value ? partsOf(group.value) : []))
const set = (name: string, list: readonly Condition[]) => emit('update:modelValue', { [name]: list } as unknown as Condition)
const change = (at: number, part: Condition) =>
  set(
    op.value,
    parts.value.map((one, i) => (i === at ? part : one)),
  )
const remove = (at: number) =>
  set(
    op.value,
    parts.value.filter((_, i) => i !== at),
  )
const add = (part: Condition) => set(op.value, [...parts.value, part])
const leafName = computed(() => (isGroupOf(props.modelValue) ? null : leafOf(props.modelValue).name))
const NEW: Readonly<Record<FactName, Condition>> = {
  person: { person: [] },
  group: { group: [] },
  pool: { pool: [] },
  host: { host: [] },
  zone: { zone: [] },
  image: { image: [] },
  clientKind: { clientKind: [] },
  clientName: { clientName: [] },
  clientVersion: { clientVersion: { from: '2.0' } },
  address: { address: [] },
  network: { network: [] },
  rttMs: { rttMs: { below: 100 } },
  bandwidthKbps: { bandwidthKbps: { below: 512 } },
  time: { time: { zone: 'Europe/Copenhagen', from: '08:00', until: '17:00' } },
  signOn: { signOn: 'second-factor' },
  first: { first: true },
}
function addFact(event: Event): void {
  const select = event.target as HTMLSelectElement
  const name = select.value as FactName | 'group of parts'
  select.value = ''
  add(name === 'group of parts' ? { any: [] } : NEW[name])
}
</script>

<template>
  <div v-if="group" class="group" :class="{ inner: deep }">
    <div class="head">
      <select class="form-select op" :value="op" aria-label="Of the parts" @change="set(($event.target as HTMLSelectElement).value, parts)">
        <option value="all">all of these</option>
        <option value="any">any of these</option>
        <option value="none">none of these</option>
      </select>
      <button v-if="deep" type="button" class="bare" aria-label="Take these parts away" @click="emit('remove')"><i-lucide-x /></button>
    </div>
    <p v-if="parts.length === 0" class="quiet small">{{ op === 'any' ? 'Nothing: it never holds.' : 'Nothing: it always holds.' }}</p>
    <ConditionBuilder
      v-for="(part, i) in parts"
      :key="i"
      :model-value="part"
      :known="known"
      :deep="(deep ?? 0) + 1"
      @update:model-value="change(i, $event)"
      @remove="remove(i)"
    />
    <select class="form-select add" value="" aria-label="Add a part" @change="addFact">
      <option value="" disabled>Add …</option>
      <option v-for="(fact, name) in FACTS" :key="name" :value="name">{{ fact.title }}</option>
      <option value="group of parts">parts under any, all or none</option>
    </select>
  </div>
  <div v-else-if="leafName" class="leaf">
    <LeafFields :model-value="modelValue" :name="leafName" :known="known" @update:model-value="emit('update:modelValue', $event)" />
    <button type="button" class="bare" :aria-label="`Take ${FACTS[leafName].title} away`" @click="emit('remove')"><i-lucide-x /></button>
  </div>
</template>

<style scoped>
.group.inner {
  border-left: 2px solid var(--hair);
  padding-left: 12px;
  margin: 6px 0;
}
.head,
.leaf {
  display: flex;
  align-items: center;
  gap: 6px;
  margin: 4px 0;
}
.op {
  width: 150px;
}
.add {
  width: 150px;
  color: var(--ink-2);
  margin-top: 4px;
}
</style>
