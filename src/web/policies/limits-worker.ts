import { LimitsDesk, type LimitsAsk } from './limits-desk'

const desk = new LimitsDesk()
const answer = (question: LimitsAsk): unknown => {
  if (question.ask === 'load') return desk.load(question.columns, question.timeZone)
  return question.ask === 'replay' ? desk.replay(question.plan) : desk.suggest(question.pool, question.groups)
}
self.onmessage = ({ data }: MessageEvent<{ id: number; question: LimitsAsk }>) => {
  try {
    self.postMessage({ id: data.id, value: answer(data.question) })
  } catch (error) {
    self.postMessage({ id: data.id, error: error instanceof Error ? error.message : String(error) })
  }
}
