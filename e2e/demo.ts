import { readFileSync } from 'node:fs'
import { expect, type APIRequestContext, type Page } from '@playwright/test'

/** The stand-ins' token and addresses, for tests that act as an exporter or make trouble. */
const token = (): string => readFileSync('.data/e2e/token', 'utf8')
export const CONTROL = 'http://127.0.0.1:4141'
export const auth = () => ({ authorization: `Bearer ${token()}` })

export async function signIn(page: Page, who = 'Hedda Vaas', to = '/'): Promise<void> {
  await page.goto('/sign-in')
  await page.getByRole('button', { name: who }).click()
  await expect(page.getByRole('navigation', { name: 'Places' })).toBeVisible()
  if (to !== '/') await page.goto(to)
}

export interface Line {
  id: string
  person: string
  name: string
  outcome: string
  startedMs: number
  cause: string | null
  host: string
}
export async function attempts(page: Page, query: string): Promise<Line[]> {
  return ((await (await page.request.get(`/api/attempts?${query}`)).json()) as { attempts: Line[] }).attempts
}

/** Lets somebody of the fleet log on now, and waits until that is over. */
export async function logOn(request: APIRequestContext, person: string): Promise<{ outcome: string }> {
  const response = await request.post(`${CONTROL}/standin/people/${person}/logon`, { headers: auth(), timeout: 55_000 })
  expect(response.ok()).toBe(true)
  return (await response.json()) as { outcome: string }
}

/** Observations of a logon as NDJSON lines. */
export function evidence(id: string, person: string, atMs: number, containerMs: number): string {
  const line = (record: object) =>
    JSON.stringify({ attempt: id, person: `LARKMERE\\${person}`, host: 'TH-Q1-01', pool: 'ticket-hall', ...record }) + '\n'
  return (
    line({ kind: 'begin', time: new Date(atMs).toISOString() }) +
    line({ kind: 'phase', time: atMs, phase: 'container', durationMs: containerMs }) +
    line({ kind: 'phase', time: atMs + containerMs, phase: 'shell', durationMs: 4000 }) +
    line({ kind: 'end', time: atMs + containerMs + 4000, outcome: 'ready' })
  )
}
