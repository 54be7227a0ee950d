import { askWorker } from '../shell/worker'
import type { lookAt, LookAsk } from './look'

/** The way to the thread that looks at sets of policies. It is started when it is first needed. */
export interface LookDesk {
  look(ask: LookAsk): Promise<ReturnType<typeof lookAt>>
  close(): Promise<void>
}

export function lookDesk(): LookDesk {
  let worker: ReturnType<typeof askWorker<LookAsk, never>> | null = null
  return {
    async look(ask) {
      worker ??= askWorker<LookAsk, never>(new URL('./look-worker.js', import.meta.url), null, [], () => undefined)
      return (await worker).ask(ask)
    },
    async close() {
      if (worker) await (await worker).close()
    },
  }
}
