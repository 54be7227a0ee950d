<script setup lang="ts">
import { computed } from 'vue'
import type { PathRule, Setting } from '../../core/policies'
import { readValue } from '../../core/policies'
import { vKept } from '../kit/kept'
import PathRules from './PathRules.vue'

/** The value of a setting, in the shape that its kind asks for. */
const props = defineProps<{ setting: Setting; modelValue: unknown }>()
const emit = defineEmits<{ 'update:modelValue': [value: unknown] }>()
const type = computed(() => props.setting.type)
const put = (value: unknown) => emit('update:modelValue', value)
const text = (event: Event) => (event.target as HTMLInputElement).value
const fault = computed(() => {
  const reading = readValue(props.setting, props.modelValue)
  return reading.ok ? null : reading.sentence
})
const lines = computed(() =>
  Array.isArray(props.modelValue) ? (props.modelValue as unknown[]).filter((one) => typeof one === 'string').join('\n') : '',
)
const isRules = computed(() => type.value.kind === 'list' && type.value.of === 'path rule')
const rules = computed({ get: () => (Array.isArray(props.modelValue) ? (props.modelValue as PathRule[]) : []), set: put })
</script>

<template>
  <div>
    <select v-if="type.kind === 'switch'" class="form-select" :value="modelValue" :aria-label="setting.title" @change="put(text($event))">
      <option value="on">on</option>
      <option value="off">off</option>
    </select>
    <select v-else-if="type.kind === 'choice'" class="form-select" :value="modelValue" :aria-label="setting.title" @change="put(text($event))">
      <option v-for="option in type.options" :key="option.id" :value="option.id">{{ option.title }}</option>
    </select>
    <span v-else-if="type.kind === 'number'" class="number-field">
      <input
        class="form-control num"
        type="number"
        :min="type.min"
        :max="type.max"
        :disabled="modelValue === 'none'"
        v-kept="modelValue === 'none' ? '' : (modelValue as number)"
        :aria-label="setting.title"
        @change="put(Number(text($event)))"
      />
      <span class="quiet">{{ type.unit }}</span>
      <label v-if="type.none !== undefined" class="small"
        ><input type="checkbox" :checked="modelValue === 'none'" @change="put(($event.target as HTMLInputElement).checked ? 'none' : type.min)" />
        {{ type.none }}</label
      >
    </span>
    <PathRules v-else-if="isRules" v-model="rules" :result="null" />
    <textarea
      v-else-if="type.kind === 'list'"
      class="form-control"
      :class="{ mono: type.of === 'location' || type.of === 'drive' }"
      rows="3"
      v-kept="lines"
      :aria-label="`${setting.title}, one a line`"
      :placeholder="type.of === 'location' ? '\\\\server\\share' : type.of === 'drive' ? 'S: \\\\server\\share' : 'one a line'"
      @change="
        put(
          text($event)
            .split('\n')
            .map((one) => one.trim())
            .filter((one) => one !== ''),
        )
      "
    />
    <input
      v-else-if="type.kind === 'text'"
      v-kept="modelValue as string"
      class="form-control"
      :aria-label="setting.title"
      @change="put(text($event))"
    />
    <span v-else class="quiet">Set on the base policy.</span>
    <p v-if="fault" class="madder small" role="alert">{{ fault }}</p>
  </div>
</template>

<style scoped>
.number-field {
  display: inline-flex;
  gap: 8px;
  align-items: center;
}
.form-select,
.form-control {
  max-width: 320px;
}
</style>
