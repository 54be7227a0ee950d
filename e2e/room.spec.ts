import { execFileSync } from 'node:child_process'
import { existsSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, test, type Page } from '@playwright/test'
import { signIn } from './demo'

const mountOf = (share: string) => join('.data/e2e/standins', share, 'profiles')
interface Line {
  id: string
  share: string
  file: string
  person: string | null
}
const job = (page: Page) => page.getByRole('region', { name: 'Job' })
async function orphans(page: Page): Promise<Line[]> {
  const read = async () => ((await (await page.request.get('/api/containers?finding=unused')).json()) as { containers: Line[] }).containers
  await expect.poll(async () => (await read()).length, { timeout: 60_000 }).toBeGreaterThan(3)
  return (await read()).filter(({ file, share }) => file.endsWith('.vhdx') && share.includes('quay-fs1'))
}

test('a container moves to another share, whole, and the old one is kept for some days', async ({ page }) => {
  await signIn(page, 'Hedda Vaas')
  const [one] = await orphans(page)
  if (!one) throw new Error('nothing to move')
  const [from, to] = [join(mountOf('quay-fs1'), one.file), join(mountOf('quay-fs2'), one.file)]
  await page.goto(`/containers/${encodeURIComponent(one.id)}`)
  await page.getByRole('button', { name: 'Move to another share…' }).click()
  await page
    .getByLabel('To which share')
    .selectOption({ label: (await page.getByLabel('To which share').locator('option', { hasText: 'quay-fs2' }).textContent()) ?? '' })
  await page.getByRole('button', { name: 'Move to another share', exact: true }).click()
  await expect(job(page)).toContainText('copied and compared byte by byte', { timeout: 60_000 })
  await expect(job(page).getByRole('status')).toContainText('Done', { timeout: 60_000 })
  expect([existsSync(from), existsSync(to)]).toEqual([false, true])
  // Outside judge: qemu-img (qemu-utils).
  expect(execFileSync('qemu-img', ['check', to]).toString()).toContain('No errors were found')
  await page.goto('/set-aside')
  await expect(page.getByRole('row').filter({ hasText: one.file.split('/')[0] ?? '' })).toContainText('quay-fs1')
})

test('a container is archived on another share, and comes back', async ({ page }) => {
  await signIn(page, 'Hedda Vaas')
  const one = (await orphans(page)).at(-1)
  if (!one) throw new Error('nothing to archive')
  const path = join(mountOf('quay-fs1'), one.file)
  await page.goto(`/containers/${encodeURIComponent(one.id)}`)
  await page.getByRole('button', { name: 'Archive…', exact: true }).click()
  await expect(page.getByRole('button', { name: 'Archive', exact: true })).toBeDisabled()
  await page.getByLabel('I know that they begin with an empty profile.').check()
  await page.getByRole('button', { name: 'Archive', exact: true }).click()
  await expect(job(page)).toContainText('until somebody deletes it', { timeout: 60_000 })
  expect(existsSync(path)).toBe(false)
  await page.goto('/set-aside')
  const row = page
    .getByRole('row')
    .filter({ hasText: one.file.split('/')[0] ?? '' })
    .filter({ hasText: 'archived on' })
  await row.getByRole('button', { name: 'Put back' }).click()
  await expect(job(page).getByRole('status')).toContainText('Done', { timeout: 60_000 })
  expect(existsSync(path)).toBe(true)
  await row.getByRole('button', { name: 'delete in 14 days' }).click()
  await expect(row.getByRole('button', { name: 'delete in 14 days' })).toHaveCount(0)
})

test('a plan for the shares: what should move and why, and a wave that does it', async ({ page }) => {
  await signIn(page, 'Hedda Vaas', '/room')
  const shares = page.getByRole('list', { name: 'Shares' })
  await expect(shares.getByRole('listitem')).toHaveCount(3)
  // Empty the new share again: only what was moved onto it goes.
  await page.getByRole('group').filter({ hasText: 'Empty these shares' }).getByLabel('\\\\quay-fs2\\profiles').check()
  await expect(page).toHaveURL(/empty=/)
  const moves = page.getByRole('table', { name: 'Moves' })
  await expect(moves).toContainText('to be emptied')
  const rows = await moves.getByRole('row').count()
  await page.getByLabel('At night').uncheck()
  await page.getByLabel('Keep the old ones, days').fill('0')
  await expect(page.getByRole('complementary')).toContainText('The old ones are deleted at once')
  await page.getByLabel(/Move .* now/).check()
  await page.getByRole('button', { name: 'Move now' }).click()
  const wave = page.getByRole('group', { name: /^Move .*container/ }).first()
  await expect(wave).toContainText(`${rows - 1} of ${rows - 1} moved`, { timeout: 100_000 })
  await expect(wave).toContainText('done')
  await page.goto('/journal')
  await expect(page.getByRole('table', { name: 'Journal' })).toContainText('planned a wave')
})

test('the loss of a zone, and a mirrored day', async ({ page }) => {
  await signIn(page, 'Nkem Okoro', '/loss')
  await page.getByLabel('zone Q1').check()
  await expect(page.getByRole('list', { name: 'What happens to whom' })).toContainText('begin with an empty profile')
  await expect(page.getByRole('heading', { level: 1 })).toContainText('would not have their profile')
  await page.getByLabel('All at once, mirrored').check()
  await expect(page.getByRole('list', { name: 'What happens to whom' })).toContainText('go on with their own profile: 1 of 2')
  await page.getByLabel('Locations that must be writable').fill('2')
  await page.getByLabel('Locations that must be writable').blur()
  await expect(page.getByRole('list', { name: 'What happens to whom' })).toContainText('only 1 of 2 locations are writable, 2 must be')
  const day = page.getByRole('list', { name: 'The day step by step' })
  await page.getByLabel('Must be writable in this story').fill('1')
  await page.getByLabel('Story', { exact: true }).selectOption('two are lost, one after the other')
  await expect(page.getByRole('list', { name: 'Verdict' })).toContainText('got an older profile, without anybody noticing')
  await expect(day).toContainText('gets an older profile')
})

test('a share is added by its path, looked at like the others, and forgotten', async ({ page }) => {
  const folder = mkdtempSync(join(tmpdir(), 'ikebana-share-'))
  mkdirSync(join(folder, 'runa.holm'))
  execFileSync('qemu-img', ['create', '-q', '-f', 'vhdx', join(folder, 'runa.holm/profile.vhdx'), '64M'])
  await signIn(page, 'Hedda Vaas', '/room')
  await page.getByRole('button', { name: 'Add a share by its path…' }).click()
  await page.getByLabel('Its path').fill('https://nas-9/profiles')
  await page.getByLabel('Where it is mounted').fill(folder)
  await page.getByRole('button', { name: 'Add it' }).click()
  await expect(page.getByRole('alert')).toContainText('web address')
  await page.getByLabel('Its path').fill('\\\\NAS-9\\profiles')
  await page.getByRole('button', { name: 'Add it' }).click()
  await expect(page.getByRole('heading', { level: 1 })).toContainText('\\\\nas-9\\profiles')
  await expect(page.getByRole('link', { name: '1 container' })).toBeVisible({ timeout: 60_000 })
  await page.getByRole('button', { name: 'Forget this share' }).click()
  await expect(page).toHaveURL(/\/room/)
  expect(existsSync(join(folder, 'runa.holm/profile.vhdx'))).toBe(true)
  rmSync(folder, { recursive: true })
})
