<script setup lang="ts">
import { readPattern, type RulesResult } from '../../core/files'
import type { PathRule } from '../../core/policies'
import { count, plural, size } from '../kit/format'
import { vKept } from '../kit/kept'

/** Path rules in their order, each with what it does to the profiles that were read. */
defineProps<{ result: RulesResult | null }>()
const rules = defineModel<PathRule[]>({ required: true })
const faultOf = (pattern: string) => {
  const reading = readPattern(pattern)
  return reading.ok ? null : reading.sentence
}
const change = (index: number, to: Partial<PathRule>) => {
  rules.value = rules.value.map((rule, i) => (i === index ? { ...rule, ...to } : rule))
}
const move = (index: number, by: number) => {
  const list = [...rules.value]
  const [one] = list.splice(index, 1)
  if (one) list.splice(index + by, 0, one)
  rules.value = list
}
</script>

<template>
  <p v-if="rules.length === 0" class="quiet">No rule yet: everything is kept. Choose a folder above, or write one.</p>
  <table v-else class="plain" aria-label="Path rules">
    <thead>
      <tr>
        <th></th>
        <th>Path</th>
        <th class="number">Files</th>
        <th class="number">Takes</th>
        <th class="number">Of</th>
        <th></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(rule, i) in rules" :key="i">
        <td>
          <select
            class="form-select does"
            :value="rule.does"
            :aria-label="`Rule ${i + 1} does`"
            @change="change(i, { does: ($event.target as HTMLSelectElement).value as PathRule['does'] })"
          >
            <option value="skip">leave out</option>
            <option value="keep">keep</option>
            <option value="mirror">mirror</option>
          </select>
        </td>
        <td>
          <input
            class="form-control mono"
            v-kept="rule.pattern"
            :aria-label="`Rule ${i + 1} path`"
            :aria-invalid="faultOf(rule.pattern) !== null"
            @change="change(i, { pattern: ($event.target as HTMLInputElement).value })"
          />
          <p v-if="faultOf(rule.pattern)" class="madder small" role="alert">{{ faultOf(rule.pattern) }}</p>
        </td>
        <td class="number">{{ result?.rules[i] ? count(result.rules[i].files) : '' }}</td>
        <td class="number">{{ result?.rules[i] ? size(result.rules[i].bytes) : '' }}</td>
        <td class="number">{{ result?.rules[i] ? plural(result.rules[i].people, 'person', 'people') : '' }}</td>
        <td class="nowrap">
          <button type="button" class="bare" :disabled="i === 0" :aria-label="`Move rule ${i + 1} up`" @click="move(i, -1)">
            <i-lucide-arrow-up /></button
          ><button type="button" class="bare" :aria-label="`Take rule ${i + 1} away`" @click="rules = rules.filter((_, j) => j !== i)">
            <i-lucide-x />
          </button>
        </td>
      </tr>
    </tbody>
  </table>
  <BButton variant="link" @click="rules = [...rules, { pattern: '', does: 'skip' }]">Write a rule</BButton>
  <p class="small quiet">
    The first rule that covers a file counts. <span class="mono">*</span> stands for any part of a name, <span class="mono">**</span> for any number
    of folders; <span class="mono">%localappdata%</span>, <span class="mono">%documents%</span> and the like for theirs. Mirror: what is removed on
    the host goes from the share too.
  </p>
</template>

<style scoped>
.does {
  width: 116px;
  padding: 2px 28px 2px 6px;
}
.form-control {
  padding: 2px 6px;
}
</style>
