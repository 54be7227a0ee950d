import { useQuery } from '@tanstack/vue-query'
import { computed, ref, shallowRef, watch, type Ref } from 'vue'
import { timeZone } from '../kit/format'
import { usePageWorker } from '../kit/worker'
import { call } from '../shell/api'
import type { LimitsAsk, Replayed } from './limits-desk'
import { usePolicies } from './set'
import { useStretches } from './stretches'

/** Without the wrappers with which a page follows changes: those cannot be handed to a worker. */
export const plainly = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T

/** The sessions of the last days in a worker of the page, with the limits that are in force and those of the draft. @param wanted only while this holds */
export function useReplays(wanted: Ref<boolean>) {
  const { page } = usePolicies()
  const worker = usePageWorker<LimitsAsk>(() => new Worker(new URL('./limits-worker.ts', import.meta.url), { type: 'module' }))
  const { columns, isPending, error, refetch } = useStretches(wanted)
  const hasDraft = computed(() => page.value?.draft != null)
  const limits = (draft: boolean) =>
    useQuery({
      queryKey: [
        'limits',
        draft,
        computed(() => page.value?.version),
        computed(() => (draft ? JSON.stringify(page.value?.draft?.set) : '')),
        computed(() => columns.value?.untilMs),
      ],
      queryFn: () => call('limitsOf', { body: { draft, people: [...(columns.value?.people ?? [])], pools: [...(columns.value?.pools ?? [])] } }),
      enabled: computed(() => columns.value !== null && (!draft || hasDraft.value)),
    })
  const { data: inForce } = limits(false)
  const { data: inDraft } = limits(true)
  const loaded = ref(false)
  watch(
    columns,
    async (fresh) => {
      loaded.value = false
      if (!fresh) return
      await worker.ask({ ask: 'load', columns: fresh, timeZone: timeZone.value })
      loaded.value = true
    },
    { immediate: true },
  )
  /** The replay under the limits in force, or under those of the draft; null until it is done. */
  const replayOf = (given: typeof inForce) => {
    const result = shallowRef<Replayed | null>(null)
    watch(
      [given, loaded],
      async () => {
        if (given.value && loaded.value)
          result.value = await worker.ask<Replayed>({
            ask: 'replay',
            plan: plainly({ kind: 'given' as const, disconnected: given.value.disconnected, session: given.value.session }),
          })
      },
      { immediate: true },
    )
    return result
  }
  return { worker, columns, isPending, error, refetch, hasDraft, inForce, inDraft, loaded, replayOf }
}
