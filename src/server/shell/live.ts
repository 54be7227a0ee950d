import type { ServerResponse } from 'node:http'

export type LiveEvent = 'attempts' | 'job' | 'progress' | 'upload' | 'policy' | 'report' | 'containers' | 'scan' | 'people' | 'journal' | 'changes'

/** Server-sent events (WHATWG HTML, section 9.2): says what kind of thing changed; pages then ask for what they show. */
export class Live {
  readonly #clients = new Set<ServerResponse>()
  readonly #pending = new Map<LiveEvent, unknown>()
  #timer: NodeJS.Timeout | null = null
  readonly #beat = setInterval(() => {
    for (const client of this.#clients) client.write(': still here\n\n')
  }, 25_000).unref()

  add(response: ServerResponse): void {
    response.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-store', connection: 'keep-alive', 'x-accel-buffering': 'no' })
    response.write('retry: 2000\n\n')
    this.#clients.add(response)
    response.on('close', () => this.#clients.delete(response))
  }

  /** Tells everybody, at most twice a second for each kind of event. */
  tell(event: LiveEvent, data: unknown = {}): void {
    this.#pending.set(event, data)
    this.#timer ??= setTimeout(() => this.#flush(), 500)
  }

  close(): void {
    clearInterval(this.#beat)
    if (this.#timer) clearTimeout(this.#timer)
    for (const client of this.#clients) client.end()
  }

  #flush(): void {
    this.#timer = null
    for (const [event, data] of this.#pending) for (const client of this.#clients) client.write(`event: ${event}\ndata: ${JSON.stringify(data)}\n\n`)
    this.#pending.clear()
  }
}
