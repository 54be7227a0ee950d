import { gzipSync } from 'node:zlib'
import { expect, test } from '@playwright/test'
import { attempts, evidence, logOn, signIn } from './demo'

test('Today shows the day against the usual, and follows without a reload', async ({ page, request }) => {
  await signIn(page)
  const heading = page.getByRole('heading', { level: 1 })
  await expect(heading).toContainText(/logons in the last 24 h/)
  await expect(page.getByText(/usual band: the middle 80 %/)).toBeVisible()
  await expect(
    page
      .getByRole('list', { name: /Needs a decision|Single cases/ })
      .getByRole('button')
      .first(),
  ).toContainText('lost')
  const before = await heading.textContent()
  const [somebody] = await attempts(page, 'outcome=ready&pool=bridge-ops&limit=1')
  await logOn(request, somebody?.person ?? '')
  await expect(heading).not.toHaveText(before ?? '')
})

test('a held container: the story, its cause, the remedy as a job, and the next logon works', async ({ page }) => {
  await signIn(page)
  const [held] = await attempts(page, 'cause=container-held&limit=1')
  expect(held, 'the demo plants held containers').toBeDefined()
  await page.goto(`/logons/${held?.id}`)
  await expect(page.getByRole('heading', { level: 1 })).toContainText('could not log on')
  const margin = page.getByRole('complementary', { name: 'The cause' })
  await expect(margin).toContainText(/still held by TH-|is held by/)
  await expect(margin.getByRole('list', { name: 'Evidence' })).toContainText('0xC0000043')
  await margin.getByRole('button', { name: 'why?' }).click()
  await expect(margin).toContainText('log odds')
  await margin.getByRole('button', { name: 'Release the hold on the container' }).click()
  const job = margin.getByRole('region', { name: 'Job' })
  await expect(job).toContainText('no session can live there')
  await expect(job).toContainText('Nobody holds it')
  await expect(job).toContainText('Their next logon worked', { timeout: 100_000 })
  await job.getByRole('link', { name: 'In the journal' }).click()
  const line = page.getByRole('table', { name: 'Journal' }).getByRole('row').filter({ hasText: 'finished: Release the hold' }).first()
  await expect(line).toContainText('vaas')
  await expect(line).toContainText('held by')
  await expect(line).toContainText('free')
})

test('a slow logon: which phase, by how much, and for whom else', async ({ page }) => {
  await signIn(page)
  const [slow] = await attempts(page, 'cause=policy-part-slow&part=printers&limit=1')
  expect(slow, 'the demo plants a slow part of policy').toBeDefined()
  await page.goto(`/logons/${slow?.id}`)
  const margin = page.getByRole('complementary', { name: 'The cause' })
  await expect(margin).toContainText('Part “printers” takes nearly all of the time in policy')
  await expect(margin).toContainText(/policy\s*3\d s usual \d/)
  await expect(page.getByRole('img', { name: /Phases: .*policy/ })).toBeVisible()
  await margin.getByRole('link', { name: /other/ }).click()
  await expect(page).toHaveURL(/\/logons\?cause=policy-part-slow/)
  // On a Sunday the last one is more than a day ago.
  await page.getByLabel('Time window').selectOption('7d')
  await expect(page.getByRole('table', { name: 'Logons' })).toContainText('One part of policy takes long')
})

test('an evidence file: progress, what was read, what was refused and why, and its logons', async ({ page }) => {
  await signIn(page, 'Ilya Brandt', '/logons')
  const at = Date.now() - 3_600_000
  const text =
    evidence('e2e-upload-1', 'nobody.known', at, 1500) +
    '{"kind":"phase"}\nnot json\n' +
    evidence('e2e-upload-2', 'nobody.known', at + 60_000, 61_000)
  await page.locator('input[type=file]').setInputFiles({ name: '../../night shift.ndjson.gz', mimeType: 'application/gzip', buffer: gzipSync(text) })
  const file = page.getByRole('region', { name: 'The evidence file' })
  await expect(file).toContainText('8 records were read, 2 were refused')
  await expect(file).toContainText('night shift.ndjson.gz')
  await expect(file).toContainText('line 5')
  await expect(file).toContainText('not valid JSON')
  const refused = await page.request.get((await file.getByRole('link', { name: 'Download all that were refused' }).getAttribute('href')) ?? '')
  expect(await refused.text()).toContain('line.json')
  await file.getByRole('link', { name: '2 logons came of it' }).click()
  await expect(page.getByRole('table', { name: 'Logons' }).getByRole('row')).toHaveCount(3)
  // The same file once more changes nothing.
  await page.locator('input[type=file]').setInputFiles({ name: 'again.ndjson', mimeType: 'application/x-ndjson', buffer: Buffer.from(text) })
  await expect(page.getByRole('region', { name: 'The evidence file' })).toContainText('8 records were read')
  expect((await attempts(page, 'person=nobody.known')).map(({ id }) => id).sort()).toEqual(['e2e-upload-1', 'e2e-upload-2'])
})

test('a file that is no evidence is refused with a sentence', async ({ page }) => {
  await signIn(page, 'Hedda Vaas', '/logons')
  await page
    .locator('input[type=file]')
    .setInputFiles({ name: 'photo.bin', mimeType: 'application/octet-stream', buffer: Buffer.from([0x89, 0x50, 0, 1, 2, 3, 10, 0xff, 0xfe, 0, 0]) })
  await expect(page.getByRole('region', { name: 'The evidence file' })).toContainText('Nothing could be read')
})

test('files given together: one that cannot be read loses nothing of the others, and is named', async ({ page }) => {
  await signIn(page, 'Hedda Vaas', '/logons')
  const at = Date.now() - 3_600_000
  const told = (kind: string, ms: number, more = {}) => JSON.stringify({ time: at + ms, kind, person: 'eve.lot', host: 'LOT-1', ...more }) + '\n'
  await page.locator('input[type=file]').setInputFiles([
    { name: 'broker.ndjson', mimeType: 'x', buffer: Buffer.from(told('begin', 0)) },
    { name: 'photo.bin', mimeType: 'x', buffer: Buffer.from([0x89, 0x50, 0, 1, 2, 3, 10, 0xff, 0xfe, 0, 0]) },
    {
      name: 'host.ndjson',
      mimeType: 'x',
      buffer: Buffer.from(told('phase', 1000, { phase: 'shell', durationMs: 6000 }) + told('end', 7000, { outcome: 'ready' })),
    },
  ])
  const file = page.getByRole('region', { name: 'The evidence file' })
  await expect(file).toContainText('broker.ndjson and 2 more')
  await expect(file.getByRole('status')).toContainText('3 records were read')
  await expect(file.getByRole('listitem').first()).toContainText('photo.bin, line 1 ')
  await expect(file.getByRole('link', { name: '1 logon came of it' })).toBeVisible()
})

test('evidence of half a year ago: its logons are a window of their own, with what needs a decision in it', async ({ page }) => {
  await signIn(page, 'Hedda Vaas', '/logons')
  // To the minute, and another day whenever this runs.
  const at = Math.floor(Date.now() / 60_000) * 60_000 - 180 * 86_400_000
  const id = (i: number) => `e2e-old-${at}-${i}`
  const lines = Array.from({ length: 30 }, (_, i) => {
    const begin = at + i * 120_000
    const who = { attempt: id(i), person: `old.p${i}`, host: `OLD-${i % 5}`, pool: 'old-hall' }
    const failed = [
      { ...who, kind: 'begin', time: begin },
      { ...who, kind: 'mark', time: begin + 900, phase: 'sign-on', code: 'trust.expired' },
      { ...who, kind: 'end', time: begin + 1000, outcome: 'failed' },
    ]
    return i < 15 ? evidence(id(i), `old.p${i}`, begin, 1500) : `${failed.map((one) => JSON.stringify(one)).join('\n')}\n`
  })
  await page
    .locator('input[type=file]')
    .setInputFiles({ name: 'spring.ndjson', mimeType: 'application/x-ndjson', buffer: Buffer.from(lines.join('')) })
  const file = page.getByRole('region', { name: 'The evidence file' })
  await file.getByRole('link', { name: '30 logons came of it' }).click()
  await expect(page.getByText('evidence file spring.ndjson')).toBeVisible()
  await file.getByRole('link', { name: 'What needs a decision in them' }).click()
  await expect(page.getByRole('heading', { level: 1 })).toContainText('30 logons in the time from')
  const line = page.getByRole('list', { name: 'Needs a decision' }).getByRole('button').first()
  await expect(line).toContainText('Certificate or secret expired')
  await expect(line).toContainText('15 people')
  await page.getByRole('link', { name: 'Why here, why then' }).click()
  await expect(page.getByText('Everywhere else, in the same time').or(page.getByText('while it lasted'))).not.toHaveCount(0)
  // The window goes along; another one is asked for, and told why it cannot be looked at.
  await page.getByLabel('Time window').selectOption('other')
  const other = page.getByRole('dialog', { name: 'Another time' })
  await other.getByLabel('To').fill('2020-01-01T00:00')
  await expect(other.getByRole('status')).toHaveText('The end must be after the beginning.')
  await expect(other.getByRole('button', { name: 'Look' }).last()).toBeDisabled()
  await other.getByLabel('From').fill('2019-12-31T00:00')
  await other.getByRole('button', { name: 'Look' }).last().click()
  await page.getByRole('link', { name: 'Today' }).click()
  await expect(page.getByRole('heading', { level: 1 })).toContainText('No logon in the time from Tue 31 Dec 2019 00:00')
  await page.getByLabel('Time window').selectOption('24h')
  await expect(page.getByRole('heading', { level: 1 })).toContainText('logons in the last 24 h')
})
