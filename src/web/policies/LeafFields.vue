<script setup lang="ts">
import { computed, ref, useId } from 'vue'
import { DAYS, FACTS, leafOf, type Condition, type Day, type FactName, type Span, type Strength, type TimeWindow } from '../../core/policies'
import { vKept } from '../kit/kept'

/** One fact and what it should be. */
const props = defineProps<{ modelValue: Condition; name: FactName; known: Readonly<Record<string, readonly string[]>> }>()
const emit = defineEmits<{ 'update:modelValue': [condition: Condition] }>()
const id = useId()
const want = computed(() => leafOf(props.modelValue as never).want)
const sort = computed(() => FACTS[props.name].sort)
const names = computed(() => (Array.isArray(want.value) ? (want.value as string[]) : []))
const span = computed(() => want.value as Span<string | number>)
const window = computed(() => want.value as TimeWindow)
const typed = ref('')
const put = (value: unknown) => emit('update:modelValue', { [props.name]: value } as unknown as Condition)
function addName(): void {
  const name = typed.value.trim()
  if (name && !names.value.includes(name)) put([...names.value, name])
  typed.value = ''
}
function putSpan(end: 'from' | 'below', text: string): void {
  const { [end]: _, ...rest } = span.value
  const value = text.trim() === '' ? undefined : sort.value === 'numbers' ? Number(text) : text.trim()
  put(value === undefined || Number.isNaN(value) ? rest : { ...rest, [end]: value })
}
function putWindow(change: Partial<TimeWindow>): void {
  put(
    Object.fromEntries(
      Object.entries({ ...window.value, ...change }).filter(
        ([, value]) => value !== undefined && value !== '' && (!Array.isArray(value) || value.length),
      ),
    ),
  )
}
const toggleDay = (day: Day, on: boolean) => putWindow({ days: DAYS.filter((one) => (one === day ? on : window.value.days?.includes(one))) })
const text = (event: Event) => (event.target as HTMLInputElement).value
</script>

<template>
  <div class="leaf">
    <span class="title">{{ FACTS[name].title }}</span>
    <template v-if="sort === 'names' || sort === 'patterns' || sort === 'ranges'">
      <span class="quiet">{{ { names: 'is', patterns: 'like', ranges: 'in' }[sort] }}</span>
      <span v-for="one in names" :key="one" class="name"
        >{{ one
        }}<button type="button" class="bare" :aria-label="`Take ${one} away`" @click="put(names.filter((other) => other !== one))">
          <i-lucide-x /></button
      ></span>
      <input
        v-model="typed"
        class="form-control"
        :list="id"
        :placeholder="names.length ? 'or …' : sort === 'ranges' ? '10.20.0.0/16' : sort === 'patterns' ? 'lap*' : 'name'"
        :aria-label="`Add a ${FACTS[name].title}`"
        @change="addName"
        @keydown.enter.prevent="addName"
      />
      <datalist :id="id"><option v-for="one in (known[name] ?? []).slice(0, 3000)" :key="one" :value="one" /></datalist>
    </template>
    <template v-else-if="sort === 'numbers' || sort === 'version'">
      <label
        >from
        <input class="form-control num" v-kept="span.from ?? ''" :aria-label="`${FACTS[name].title} from`" @change="putSpan('from', text($event))"
      /></label>
      <label
        >below
        <input class="form-control num" v-kept="span.below ?? ''" :aria-label="`${FACTS[name].title} below`" @change="putSpan('below', text($event))"
      /></label>
      <span class="quiet">{{ FACTS[name].unit }}</span>
    </template>
    <template v-else-if="sort === 'time'">
      <span class="days">
        <label v-for="day in DAYS" :key="day"
          ><input
            type="checkbox"
            :checked="window.days?.includes(day) ?? false"
            @change="toggleDay(day, ($event.target as HTMLInputElement).checked)"
          />
          {{ day }}</label
        >
        <span v-if="!window.days" class="quiet small">none: every day</span>
      </span>
      <label
        >from
        <input
          class="form-control num"
          placeholder="05:40"
          v-kept="window.from ?? ''"
          @change="putWindow({ from: text($event), until: window.until ?? '17:00' })"
      /></label>
      <label
        >until
        <input
          class="form-control num"
          placeholder="05:40"
          v-kept="window.until ?? ''"
          @change="putWindow({ until: text($event), from: window.from ?? '08:00' })"
      /></label>
      <label
        >days from <input class="form-control date" type="date" v-kept="window.firstDay ?? ''" @change="putWindow({ firstDay: text($event) })"
      /></label>
      <label>to <input class="form-control date" type="date" v-kept="window.lastDay ?? ''" @change="putWindow({ lastDay: text($event) })" /></label>
      <label>in <input class="form-control" v-kept="window.zone" list="zones" @change="putWindow({ zone: text($event) })" /></label>
    </template>
    <template v-else-if="sort === 'strength'">
      <span class="quiet">at least</span>
      <select class="form-select" :value="want as Strength" aria-label="Sign-on at least" @change="put(text($event))">
        <option value="second-factor">a second factor</option>
        <option value="key">a security key</option>
      </select>
    </template>
    <template v-else>
      <select class="form-select" :value="String(want)" aria-label="First or returning" @change="put(text($event) === 'true')">
        <option value="true">it is the first logon</option>
        <option value="false">it is a returning logon</option>
      </select>
    </template>
  </div>
</template>

<style scoped>
.leaf {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 8px;
  flex: 1;
}
.title {
  min-width: 92px;
}
.name {
  border-bottom: 1px solid var(--indigo);
}
.form-control {
  width: 190px;
}
.form-control.num {
  width: 96px;
}
.form-control.date {
  width: 140px;
}
.form-select {
  width: 190px;
}
.days label,
label {
  color: var(--ink-2);
  font-size: 12.5px;
  display: inline-flex;
  gap: 4px;
  align-items: center;
}
.days {
  display: inline-flex;
  gap: 8px;
}
</style>
