import type { FolderPicture, RulesResult } from '../../core/files'
import { usePageWorker } from '../kit/worker'
import type { DeskAsk, ReadSums } from './inventory-desk'

type Answer<A extends DeskAsk> = A['ask'] extends 'read' ? ReadSums : A['ask'] extends 'picture' ? FolderPicture : RulesResult

/** The desk of inventories in its worker, for as long as the page lasts. */
export function useDesk() {
  const { ask, stop, busy, progress } = usePageWorker<DeskAsk>(
    () => new Worker(new URL('./inventory-worker.ts', import.meta.url), { type: 'module' }),
  )
  return { ask: <A extends DeskAsk>(question: A) => ask<Answer<A>>(question), stop, busy, readBytes: progress }
}
