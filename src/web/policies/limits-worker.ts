import { LimitsDesk, type LimitsAsk } from './limits-desk'

const desk = new LimitsDesk()
self.onmessage = ({ data }: MessageEvent<{ id: number; question: LimitsAsk }>) => {
  try {
    self.postMessage({ id: data.id, value: desk.answer(data.question) })
  } catch (error) {
    self.postMessage({ id: data.id, error: error instanceof Error ? error.message : String(error) })
  }
}
