<script setup lang="ts" generic="T extends object">
import { computed, ref } from 'vue'
import { csvAddress } from './csv'
import { count } from './format'

/** A list that sorts by any column. Cells are slots by column name. */
export interface Column<R> {
  readonly key: string
  readonly title: string
  readonly number?: boolean
  readonly sort?: (row: R) => number | string | null
  /** What stands in its place in a CSV file, where not what it is sorted by; and what its numbers count there. */
  readonly csv?: (row: R) => number | string | null
  readonly unit?: string
}

const props = defineProps<{
  columns: readonly Column<T>[]
  rows: readonly T[]
  rowKey: (row: T) => string | number
  go?: (row: T) => void
  label: string
  empty: string
  selectable?: boolean
  /** The name of a CSV file with these rows, for a list that the server does not export itself. */
  csv?: string
  /** So many are shown until more are asked for; all are sorted, and in the file. */
  most?: number
}>()
/** Keys of the rows that are ticked, where the list is selectable. */
const selected = defineModel<(string | number)[]>('selected', { default: () => [] })
const all = computed(() => shown.value.length > 0 && shown.value.every((row) => selected.value.includes(props.rowKey(row))))
function tick(key: string | number, on: boolean): void {
  selected.value = on ? [...selected.value, key] : selected.value.filter((one) => one !== key)
}
const tickAll = (on: boolean) => {
  selected.value = on ? shown.value.map(props.rowKey) : []
}
const sortBy = ref<string | null>(null)
const down = ref(true)

const sorted = computed(() => {
  const column = props.columns.find(({ key }) => key === sortBy.value)
  const value = column?.sort
  if (!value) return props.rows
  const direction = down.value ? -1 : 1
  return [...props.rows].sort((a, b) => {
    const [x, y] = [value(a), value(b)]
    if (x === null || y === null) return x === y ? 0 : x === null ? 1 : -1
    return direction * (typeof x === 'number' && typeof y === 'number' ? x - y : String(x).localeCompare(String(y)))
  })
})

const MORE = 200
const asked = ref(0)
const shown = computed(() => (props.most === undefined ? sorted.value : sorted.value.slice(0, props.most + asked.value)))

function sort(column: Column<T>): void {
  if (sortBy.value === column.key) down.value = !down.value
  else {
    sortBy.value = column.key
    down.value = column.number ?? false
  }
}
/** As shown, in the order shown; made when it is asked for. */
const address = ref('')
function make(): void {
  const written = props.columns.flatMap(({ title, unit, csv, sort: value }) => {
    const cell = csv ?? value
    return cell ? [{ title: unit ? `${title} (${unit})` : title, cell }] : []
  })
  address.value = csvAddress(sorted.value.map((row) => Object.fromEntries(written.map(({ title, cell }) => [title, cell(row)]))))
}
const sortState = (column: Column<T>) => (sortBy.value !== column.key ? undefined : down.value ? 'descending' : 'ascending')
</script>

<template>
  <p v-if="rows.length === 0" class="quiet empty">{{ empty }}</p>
  <div v-else class="scroll-x">
    <table class="plain" :aria-label="label">
      <thead>
        <tr>
          <th v-if="selectable">
            <input type="checkbox" aria-label="All that are shown" :checked="all" @change="tickAll(($event.target as HTMLInputElement).checked)" />
          </th>
          <th v-for="column in columns" :key="column.key" :class="{ number: column.number }" :aria-sort="sortState(column)">
            <button v-if="column.sort" type="button" @click="sort(column)">
              {{ column.title }}<span v-if="sortBy === column.key" aria-hidden="true"> {{ down ? '↓' : '↑' }}</span>
            </button>
            <template v-else>{{ column.title }}</template>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in shown" :key="rowKey(row)" :class="{ go }" :tabindex="go ? 0 : undefined" @click="go?.(row)" @keydown.enter="go?.(row)">
          <td v-if="selectable" @click.stop>
            <input
              type="checkbox"
              :aria-label="`Choose ${rowKey(row)}`"
              :checked="selected.includes(rowKey(row))"
              @change="tick(rowKey(row), ($event.target as HTMLInputElement).checked)"
            />
          </td>
          <td v-for="column in columns" :key="column.key" :class="{ number: column.number }"><slot :name="column.key" :row="row" /></td>
        </tr>
      </tbody>
    </table>
    <BButton v-if="shown.length < rows.length" variant="link" class="more" @click="asked += MORE"
      >{{ count(rows.length - shown.length) }} more</BButton
    >
    <a v-if="csv" class="csv small" :href="address" :download="`${csv}.csv`" @pointerdown="make" @focus="make">CSV</a>
  </div>
</template>

<style scoped>
.more {
  display: block;
  padding: 8px 0;
}
.csv {
  display: inline-block;
  padding: 4px 0;
}
.empty {
  padding: 24px 0;
}
</style>
