<script setup lang="ts">
import { computed, ref } from 'vue'
import { conditionOf, readSet, writeText, type NetworkClass, type PolicySet } from '../../core/policies'

/** Classes of networks that are told by what is measured, for conditions on the network. */
const props = defineProps<{ set: PolicySet; canEdit: boolean }>()
const emit = defineEmits<{ edit: [networks: readonly NetworkClass[]] }>()
const fresh = ref<{ id: string; addresses: string; rttFrom: string; rttBelow: string; kbpsFrom: string; kbpsBelow: string } | null>(null)
const span = (from: string, below: string) =>
  from === '' && below === '' ? undefined : { ...(from === '' ? {} : { from: Number(from) }), ...(below === '' ? {} : { below: Number(below) }) }
const made = computed<NetworkClass | null>(() => {
  const one = fresh.value
  if (!one) return null
  const addresses = one.addresses.split(/[\s,]+/).filter((text) => text !== '')
  const [rttMs, bandwidthKbps] = [span(String(one.rttFrom), String(one.rttBelow)), span(String(one.kbpsFrom), String(one.kbpsBelow))]
  return { id: one.id.trim(), ...(addresses.length ? { addresses } : {}), ...(rttMs ? { rttMs } : {}), ...(bandwidthKbps ? { bandwidthKbps } : {}) }
})
const fault = computed(() => (made.value ? (readSet({ networks: [...props.set.networks, made.value] }).faults[0]?.sentence ?? null) : null))
const usedBy = (id: string) =>
  props.set.policies.filter(({ when }) => JSON.stringify(when).toLowerCase().includes(`"${id.toLowerCase()}"`)).map(({ name }) => name)
function keep(): void {
  if (made.value && !fault.value) emit('edit', [...props.set.networks, made.value])
  fresh.value = null
}
</script>

<template>
  <h2>Networks told by what is measured</h2>
  <p v-for="network in set.networks" :key="network.id">
    <strong>{{ network.id }}</strong>: {{ writeText(conditionOf(network)) }}
    <span class="quiet small">&ensp;{{ usedBy(network.id).length ? `used by ${usedBy(network.id).join(', ')}` : 'used by no policy' }}</span>
    <button
      v-if="canEdit"
      type="button"
      class="bare"
      :aria-label="`Take the network ${network.id} away`"
      @click="
        emit(
          'edit',
          set.networks.filter((one) => one !== network),
        )
      "
    >
      <i-lucide-x />
    </button>
  </p>
  <p v-if="set.networks.length === 0" class="quiet">None: a network is what its client reports.</p>
  <BButton v-if="canEdit && !fresh" variant="link" @click="fresh = { id: '', addresses: '', rttFrom: '', rttBelow: '', kbpsFrom: '', kbpsBelow: '' }"
    >Name a network</BButton
  >
  <form v-if="fresh" class="sure" @submit.prevent="keep">
    <div class="fields">
      <label>Name <input v-model="fresh.id" class="form-control" /></label>
      <label>Addresses <input v-model="fresh.addresses" class="form-control mono" placeholder="10.20.0.0/16, fd12::/32" /></label>
      <label>Round trip from, ms <input v-model="fresh.rttFrom" class="form-control" type="number" min="0" /></label>
      <label>below <input v-model="fresh.rttBelow" class="form-control" type="number" min="0" /></label>
      <label>Bandwidth from, kbit/s <input v-model="fresh.kbpsFrom" class="form-control" type="number" min="0" /></label>
      <label>below <input v-model="fresh.kbpsBelow" class="form-control" type="number" min="0" /></label>
    </div>
    <p v-if="fault && fresh.id" class="small madder" role="alert">{{ fault }}</p>
    <BButton type="submit" variant="primary" :disabled="fault !== null">Keep in the draft</BButton>
    <BButton variant="link" @click="fresh = null">Never mind</BButton>
  </form>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: 1fr 2fr;
  gap: 8px;
  margin-bottom: 8px;
}
label {
  font-size: 12.5px;
  color: var(--ink-2);
}
</style>
