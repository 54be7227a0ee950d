import { InventoryDesk, ownerOf, streamOf, type DeskAsk } from './inventory-desk'

/** The thread in which inventories are read and rules are tried: two million rows do not hold up the page. */
const desk = new InventoryDesk()
const scope = self as unknown as { onmessage: (event: MessageEvent<{ id: number; question: DeskAsk }>) => void; postMessage(message: unknown): void }

async function answer(question: DeskAsk, progress: (bytes: number) => void): Promise<unknown> {
  if (question.ask === 'picture') return desk.picture(question.folder, question.depth)
  if (question.ask === 'try') return desk.try(question.rules, question.cost, question.nowMs)
  const { source, again } = question
  if ('file' in source) return desk.read(streamOf(source.file, source.name), ownerOf(source.name), again, progress)
  const response = await fetch(source.url)
  if (!response.ok || !response.body) {
    const problem = (await response.json().catch(() => ({}))) as { detail?: string; title?: string }
    throw new Error(problem.detail ?? problem.title ?? 'The server does not answer.')
  }
  return desk.read(response.body, 'unknown', again, progress)
}

scope.onmessage = ({ data: { id, question } }) => {
  let saidMs = 0
  const progress = (bytes: number) => {
    if (Date.now() - saidMs < 200) return
    saidMs = Date.now()
    scope.postMessage({ id, progress: bytes })
  }
  answer(question, progress).then(
    (value) => scope.postMessage({ id, value }),
    (error: unknown) => scope.postMessage({ id, error: error instanceof Error ? error.message : String(error) }),
  )
}
