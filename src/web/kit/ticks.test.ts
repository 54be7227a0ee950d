import { afterEach, expect, it } from 'vitest'
import { timeZone } from './format'
import { timeTicks } from './ticks'

const HOUR = 3_600_000
const AT = Date.UTC(2026, 10, 23, 9, 10)
const texts = (hours: number, most = 10) => timeTicks(AT, AT + hours * HOUR, most).map(({ text }) => text)

afterEach(() => {
  timeZone.value = 'UTC'
})

it.each([
  [1, ['09:10', '09:20', '09:30', '09:40', '09:50', '10:00', '10:10']],
  [8, ['10:00', '11:00', '12:00', '13:00', '14:00', '15:00', '16:00', '17:00']],
  [24, ['12:00', '16:00', '20:00', '00:00', '04:00', '08:00']],
  [72, ['Tue 24 Nov', 'Wed 25 Nov', 'Thu 26 Nov']],
  [264, ['Wed 25 Nov', 'Fri 27 Nov', 'Sun 29 Nov', 'Tue 1 Dec', 'Thu 3 Dec']],
])('a picture of %d hours has round moments under it', (hours, wanted) => {
  expect(texts(hours)).toEqual(wanted)
})

it('are round where people are, not where clocks of machines are', () => {
  timeZone.value = 'Asia/Kolkata'
  expect(texts(24)).toEqual(['16:00', '20:00', '00:00', '04:00', '08:00', '12:00'])
})

it('stay few, however long the stretch is', () => {
  for (const days of [1, 3, 9, 11, 30, 45, 92]) expect(texts(days * 24).length).toBeLessThanOrEqual(11)
  expect(texts(0)).toHaveLength(1)
})
