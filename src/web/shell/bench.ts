import { useLocalStorage } from '@vueuse/core'
import { computed, onScopeDispose, shallowRef, watchEffect, type Ref } from 'vue'

/** Something that can be laid beside another: `logon:ID`, or a cohort such as `host:TH-Q1-03` (contract/compare.ts). */
export interface BenchItem {
  readonly id: string
  readonly title: string
}
/** Two to four things side by side; more are not compared by anybody. */
export const MOST_ON_BENCH = 4

const items = useLocalStorage<BenchItem[]>('ikebana-bench', [])
/** What the key `b` puts on the bench: the thing in view, if the page has one. */
const inView = shallowRef<BenchItem | null>(null)

export function useBench() {
  const has = (id: string) => items.value.some((one) => one.id === id)
  const put = (item: BenchItem) => {
    if (!has(item.id)) items.value = [...items.value, item].slice(-MOST_ON_BENCH)
  }
  const take = (id: string) => {
    items.value = items.value.filter((one) => one.id !== id)
  }
  return { items, inView, has, put, take, address: computed(() => ({ path: '/logons/compare', query: { one: items.value.map(({ id }) => id) } })) }
}

/** Says what of this page can be put on the bench. */
export function onBench(item: Ref<BenchItem | null>): void {
  watchEffect(() => {
    inView.value = item.value
  })
  onScopeDispose(() => {
    inView.value = null
  })
}
