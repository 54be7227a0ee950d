import { expect, test } from '@playwright/test'
import { document, logonEvents, PROVIDERS, utf16 } from '../src/core/formats/eventlog/fixtures/events'
import { handedOver } from '../src/core/logons/fixtures/clocks'
import { attempts, auth, evidence, signIn } from './demo'

test('event logs of one machine, a channel each, in any order: the logon is put together; a rule of one’s own takes part', async ({ page }) => {
  await signIn(page, 'Hedda Vaas', '/logons/sources')
  const start = Math.floor(Date.now() / 1000) * 1000 - 3_600_000
  const attach = {
    provider: 'Larkmere-Attach',
    id: 7,
    computer: 'EV-01.larkmere.example',
    timeMs: start + 4000,
    data: { Who: String.raw`LARKMERE\eve.ntlog`, Ms: 90, Share: 'S' },
  }
  await page.getByLabel('Name', { exact: true }).fill('attach-agent')
  await page
    .getByLabel('Try them on real events')
    .setInputFiles({ name: 'attach.xml', mimeType: 'text/xml', buffer: Buffer.from(document([attach])) })
  const preview = page.getByRole('table', { name: 'Preview' })
  await expect(preview).toContainText('container')
  await expect(preview).toContainText('share S')
  await page.getByLabel('Rules, as YAML').first().fill('rules:\n  - provider: x\n    id: many\n    observe: mark\n')
  await page.getByRole('button', { name: 'Keep' }).click()
  await expect(page.getByRole('alert').first()).toContainText('rules.0.id')
  await page
    .getByLabel('Rules, as YAML')
    .first()
    .fill(
      'rules:\n  - provider: Larkmere-Attach\n    id: 7\n    observe: phase\n    phase: container\n    person: "{Who}"\n    elapsed: { fields: Ms, unit: ms }\n',
    )
  await page.getByRole('button', { name: 'Keep' }).click()
  await expect(page.getByText('Kept. Files that are read from now on')).toBeVisible()

  await page.goto('/logons')
  const events = logonEvents(start, 'eve.ntlog', 'EV-01', 4711)
  // What has only SIDs comes first: it waits until another file names them.
  const profiles = events.filter(({ provider }) => provider === PROVIDERS.profiles)
  const rest = events.filter(({ provider }) => provider !== PROVIDERS.profiles)
  const input = page.locator('input[type=file]')
  const file = page.getByRole('region', { name: 'The evidence file' })
  await input.setInputFiles({ name: 'profiles.xml', mimeType: 'text/xml', buffer: Buffer.from(document(profiles)) })
  await expect(file).toContainText('which nothing else in the evidence, nor the directory, names')
  await input.setInputFiles({ name: 'others.xml', mimeType: 'text/xml', buffer: Buffer.from(utf16(document([...rest, attach]))) })
  await expect(file).toContainText('others.xml')
  await expect.poll(async () => (await attempts(page, 'person=eve.ntlog')).map(({ id }) => id).length).toBe(1)
  const [found] = await attempts(page, 'person=eve.ntlog')
  await page.goto(`/logons/${found?.id}`)
  await expect(page.getByRole('heading', { level: 1 })).toContainText('logged on in 24 s')
  await expect(page.getByRole('img', { name: /profile 1\.9 s.*policy 12 s.*/ })).toBeVisible()
  await expect(page.getByRole('img', { name: /container 0\.1 s/ })).toBeVisible()

  // Given together, the logs of a machine explain each other at once.
  await page.goto('/logons')
  const night = logonEvents(start + 60_000, 'ove.together', 'EV-02', 4712)
  const log = (name: string, of: (provider: string) => boolean) => ({
    name,
    mimeType: 'text/xml',
    buffer: Buffer.from(document(night.filter(({ provider }) => of(provider)))),
  })
  await input.setInputFiles([
    log('a-winlogon.xml', (provider) => provider === PROVIDERS.winlogon),
    log('b-profiles.xml', (provider) => provider === PROVIDERS.profiles),
    log('c-others.xml', (provider) => provider !== PROVIDERS.winlogon && provider !== PROVIDERS.profiles),
  ])
  await expect(file).toContainText('a-winlogon.xml and 2 more')
  await expect(file.getByRole('status')).toHaveText(`All ${night.length} records were read.`)
  await expect(file.getByRole('link', { name: '1 logon came of it' })).toBeVisible()
  const [together] = await attempts(page, 'person=ove.together')
  await page.goto(`/logons/${together?.id}`)
  await expect(page.getByRole('heading', { level: 1 })).toContainText('logged on in 24 s')
})

test('an incident: where, since when, what changed before, and whether what was done helped', async ({ page }) => {
  await signIn(page, 'Hedda Vaas', '/journal/changes')
  const now = Date.now()
  const form = page.getByRole('complementary', { name: 'Tell of a change' })
  await form.getByLabel('What happened').fill('Host E2E-9 got another disk')
  const at = new Date(now - 3 * 3_600_000)
  await form.getByLabel('When').fill(new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 16))
  await form.getByLabel('Kind').selectOption('host')
  await form.getByLabel('Where').selectOption('host')
  await form.getByLabel('Which').fill('E2E-9')
  await form.getByRole('button', { name: 'Tell' }).click()
  await expect(page.getByRole('table', { name: 'Changes' })).toContainText('Host E2E-9 got another disk')

  // A day of plain logons on two hosts; then everybody on one of them fails for the same reason, until it is mended an hour ago.
  const lines: string[] = []
  const mark = (id: string, person: string, host: string, begin: number) =>
    [
      { kind: 'begin', attempt: id, person, host, pool: 'e2e', time: begin },
      { kind: 'phase', attempt: id, person, host, phase: 'sign-on', time: begin, durationMs: 2000 },
      { kind: 'mark', attempt: id, person, host, phase: 'sign-on', code: 'KRB_AP_ERR_SKEW', time: begin + 1500 },
      { kind: 'end', attempt: id, person, host, outcome: 'failed', time: begin + 2000 },
    ]
      .map((record) => JSON.stringify(record))
      .join('\n') + '\n'
  for (let i = 0; i < 120; i++) {
    const host = i % 2 ? 'E2E-9' : 'E2E-8'
    const begin = now - 20 * 3_600_000 + i * 600_000
    const broken = host === 'E2E-9' && begin > now - 175 * 60_000 && begin < now - 3_600_000
    const id = `e2e-incident-${now}-${i}`
    lines.push(broken ? mark(id, `e2e.p${i}`, host, begin) : evidence(id, `e2e.p${i}`, begin, 1500).replaceAll(/"host":"[^"]*"/g, `"host":"${host}"`))
  }
  for (let i = 0; i < 8; i++) lines.push(mark(`e2e-incident-${now}-x${i}`, `e2e.x${i}`, 'E2E-9', now - 150 * 60_000 + i * 60_000))
  for (let i = 0; i < 8; i++)
    lines.push(
      evidence(`e2e-incident-${now}-y${i}`, `e2e.x${i}`, now - 50 * 60_000 + i * 60_000, 1500).replaceAll(/"host":"[^"]*"/g, '"host":"E2E-9"'),
    )
  await page.goto('/logons')
  await page
    .locator('input[type=file]')
    .setInputFiles({ name: 'incident.ndjson', mimeType: 'application/x-ndjson', buffer: Buffer.from(lines.join('')) })
  await expect(page.getByRole('region', { name: 'The evidence file' })).toContainText(/All [\d,]+ records were read/)

  await page.goto('/')
  const line = page.getByRole('list', { name: 'Needs a decision' }).getByRole('button').filter({ hasText: 'E2E-9' })
  await expect(line).toContainText('after: Host E2E-9 got another disk')
  await line.click()
  await page.getByRole('link', { name: 'Why here, why then, and did it help?' }).click()
  await expect(page.getByRole('heading', { level: 1 })).toContainText('E2E-9')
  await expect(page.getByRole('main')).toContainText('Everywhere else, in the same time')
  await expect(page.getByRole('main')).toContainText('suspected')
  await expect(page.getByRole('main')).toContainText('It was made just where they are: host E2E-9.')
  await page.goto(`${new URL(page.url()).pathname}?done=${now - 3_600_000}`)
  await expect(page.getByRole('status').filter({ hasText: 'Helped' })).toContainText(/\d+ logons so far; 14 of 14 failed before, 0 of/)
})

test('pictures lead to the logons behind them, and go out as files; hosts and logons lie side by side', async ({ page }) => {
  await signIn(page, 'Hedda Vaas', '/logons/pictures')
  await expect(page.getByRole('img', { name: 'Mean time in each phase, hour by hour' })).toBeVisible()
  const [svg] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'SVG' }).first().click()])
  expect(svg.suggestedFilename()).toBe('phases.svg')
  const [png] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'PNG' }).last().click()])
  expect(png.suggestedFilename()).toBe('week.png')
  const slow = (await attempts(page, 'outcome=bad&sort=lost&limit=2')).map(({ id }) => id)
  await page.goto(`/logons/${slow[0]}`)
  await expect(page.getByRole('heading', { level: 1 })).toBeVisible()
  await page.keyboard.press('b')
  await page.goto(`/logons/${slow[1]}`)
  await page.getByRole('button', { name: 'put on the bench' }).click()
  await page.getByRole('link', { name: 'bench 2' }).click()
  const logons = page.getByRole('table', { name: 'Logons' })
  // Which two cost most depends on the day; their totals may be alike.
  await page.getByRole('button', { name: 'Also what is alike' }).click()
  await expect(logons.getByRole('row', { name: /^total/ })).toBeVisible()
  await expect(logons.getByRole('columnheader')).toHaveCount(3)
  await page.goto('/logons/compare?one=zone:H1&one=zone:Q1&one=since:1')
  await expect(page.getByRole('img', { name: /zone H1: median .*zone Q1: median/ })).toBeVisible()
  await page.getByLabel('What to add').selectOption('pool')
  await page.getByLabel('Which').fill('back-office')
  await page.getByRole('button', { name: 'Add' }).click()
  await expect(page.getByRole('columnheader', { name: 'pool back-office' })).toBeVisible()
  await page.goto('/logons/compare?one=planet:x')
  await expect(page.getByRole('alert').first()).toContainText('nothing that can be compared')
})

test('a clock that is off is found while evidence is read, put right, and said', async ({ page, request }) => {
  const list = handedOver({ 'H-3': 330_000 })
  const shift = Date.now() - 2 * 3_600_000 - Math.max(...list.map(({ timeMs }) => timeMs))
  const lines = list.map((o) => JSON.stringify({ ...o, attempt: `clock-${o.attempt}`, time: o.timeMs + shift, timeMs: undefined }))
  const sent = await request.post('/api/evidence/files', {
    headers: { ...auth(), 'content-type': 'application/x-ndjson', 'x-file-name': 'clocks.ndjson' },
    data: lines.join('\n'),
  })
  const { id } = (await sent.json()) as { id: string }
  await expect
    .poll(async () => ((await (await request.get(`/api/evidence/files/${id}`, { headers: auth() })).json()) as { state: string }).state)
    .toBe('done')
  await signIn(page, 'Hedda Vaas', '/logons/sources')
  const row = page.getByRole('table', { name: 'Clocks that are off' }).getByRole('row').filter({ hasText: 'H-3' })
  await expect(row).toContainText('5 min')
  await expect(row).toContainText('tickets are refused beyond 5 min')
  await page.goto('/logons/clock-a3')
  await expect(page.getByText(/The clock of H-3 is 5 min \d+ s ahead \(± \d/).first()).toBeVisible()
  // Nobody waited for five minutes: it was the clock.
  await expect(page.getByRole('heading', { level: 1 })).toContainText(/logged on in \d\.\d s/)
})
