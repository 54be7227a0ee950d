import { execFileSync, spawnSync } from 'node:child_process'
import { copyFileSync, existsSync, rmSync, statSync } from 'node:fs'
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
  holderHost: string | null
  allocatedBytes: number
  upkeep: { code: string }[]
}

async function withFinding(page: Page, code: string): Promise<Line[]> {
  const read = async () => ((await (await page.request.get(`/api/containers?finding=${code}`)).json()) as { containers: Line[] }).containers
  await expect.poll(async () => (await read()).length, { timeout: 60_000 }).toBeGreaterThan(0)
  return read()
}
const fileOf = (one: Line) => join(mountOf(one.share.includes('hill') ? 'hill-fs1' : 'quay-fs1'), one.file)
const job = (page: Page) => page.getByRole('region', { name: 'Job' })

test('what should be looked at in containers: found, filtered, explained', async ({ page }) => {
  await signIn(page, 'Nkem Okoro', '/containers')
  for (const code of ['damaged', 'dirty', 'copy-broken', 'parent-missing', 'pair', 'nobody', 'disabled', 'out-of-scope', 'unused', 'nearly-full'])
    await withFinding(page, code)
  await page.reload()
  await page.getByRole('complementary').getByRole('link', { name: 'belongs to nobody' }).click()
  await expect(page).toHaveURL(/finding=nobody/)
  const rows = page.getByRole('table', { name: 'Containers' }).getByRole('row')
  await expect(rows).toHaveCount(4)
  await rows.nth(1).click()
  await expect(page.getByRole('list', { name: 'To look at' })).toContainText('Nobody is called')
  // Help desk sees everything and may do nothing here.
  await expect(page.getByRole('button', { name: 'Set aside…' })).toBeDisabled()
})

test('a damaged file says which structure, where, and what is lost; nothing is guessed', async ({ page }) => {
  await signIn(page, 'Hedda Vaas')
  const [damaged] = await withFinding(page, 'damaged')
  await page.goto(`/containers/${encodeURIComponent(damaged?.id ?? '')}`)
  await expect(page.getByRole('table', { name: 'Findings in the structure' })).toContainText(
    /Block 4 should lie at .* of the disk from 256 MiB on cannot be read/,
  )
  await expect(page.getByRole('complementary')).toContainText('what belongs where would have to be guessed')
  await expect(page.getByRole('button', { name: 'Repair…' })).toHaveCount(0)
  await page.getByText('Header 1', { exact: true }).click()
  await expect(page.getByRole('table', { name: 'Header 1' })).toContainText('the log is empty')
})

test('repair replays the log, and qemu-img sees the same content before and after', async ({ page }) => {
  await signIn(page, 'Hedda Vaas')
  const [dirty] = await withFinding(page, 'dirty')
  if (!dirty) throw new Error('no dirty container')
  const copy = join(tmpdir(), `ikebana-e2e-${process.pid}.vhdx`)
  copyFileSync(fileOf(dirty), copy)
  await page.goto(`/containers/${encodeURIComponent(dirty.id)}`)
  await expect(page.getByRole('list', { name: 'To look at' })).toContainText('waits in the log')
  await page.getByRole('button', { name: 'Repair…' }).click()
  await page.getByRole('button', { name: 'Repair', exact: true }).click()
  await expect(job(page)).toContainText('content compared block by block', { timeout: 60_000 })
  await expect(job(page).getByRole('status')).toContainText('Done')
  // Outside judge: qemu-img (qemu-utils) replays the log of the copy itself.
  expect(execFileSync('qemu-img', ['check', fileOf(dirty)]).toString()).toContain('No errors were found')
  execFileSync('qemu-img', ['check', '-r', 'all', copy])
  expect(spawnSync('qemu-img', ['compare', copy, fileOf(dirty)], { encoding: 'utf8' }).stdout).toContain('Images are identical')
  rmSync(copy)
  await expect
    .poll(
      async () =>
        ((await (await page.request.get(`/api/containers/${encodeURIComponent(dirty.id)}`)).json()) as { container: Line }).container.upkeep.map(
          ({ code }) => code,
        ),
      { timeout: 60_000 },
    )
    .not.toContain('dirty')
  await page.goto('/journal')
  await expect(page.getByRole('table', { name: 'Journal' })).toContainText('Repair')
})

test('compaction gives back what it said; nothing in use is touched', async ({ page }) => {
  await signIn(page, 'Hedda Vaas')
  const [orphan] = await withFinding(page, 'nobody')
  if (!orphan) throw new Error('no orphan')
  await page.goto(`/containers/${encodeURIComponent(orphan.id)}`)
  await page.getByRole('button', { name: 'Read the blocks and count' }).click()
  await expect(page.getByRole('complementary')).toContainText(/hold only zeros/, { timeout: 30_000 })
  const before = statSync(fileOf(orphan)).size
  await page.getByRole('button', { name: 'Compact…' }).click()
  await page.getByRole('button', { name: 'Compact', exact: true }).click()
  await expect(job(page)).toContainText('given back', { timeout: 60_000 })
  expect(before - statSync(fileOf(orphan)).size).toBe(orphan.allocatedBytes)
  const { containers } = (await (await page.request.get('/api/containers?held=held')).json()) as { containers: Line[] }
  await page.goto(`/containers/${encodeURIComponent(containers[0]?.id ?? '')}`)
  await expect(page.getByRole('complementary')).toContainText('has it open')
  await expect(page.getByRole('button', { name: 'Compact…' })).toHaveCount(0)
})

test('a container is set aside, kept, and put back', async ({ page }) => {
  await signIn(page, 'Hedda Vaas')
  const [leaver] = await withFinding(page, 'disabled')
  if (!leaver) throw new Error('nobody left')
  await page.goto(`/containers/${encodeURIComponent(leaver.id)}`)
  await page.getByRole('button', { name: 'Set aside…' }).click()
  await expect(page.getByRole('button', { name: 'Set aside', exact: true })).toBeDisabled()
  await page.getByLabel('I know that they begin with an empty profile.').check()
  await page.getByRole('button', { name: 'Set aside', exact: true }).click()
  await expect(job(page)).toContainText('kept as', { timeout: 30_000 })
  expect(existsSync(fileOf(leaver))).toBe(false)
  await page.goto('/set-aside')
  await page
    .getByRole('row')
    .filter({ hasText: leaver.person ?? '' })
    .getByRole('button', { name: 'Put back' })
    .click()
  await expect(job(page).getByRole('status')).toContainText('Done')
  await page.getByLabel('also those put back or deleted').check()
  await expect(page.getByRole('row').filter({ hasText: leaver.person ?? '' })).toContainText('put back')
  expect(existsSync(fileOf(leaver))).toBe(true)
  await page.goto('/journal')
  await expect(page.getByRole('table', { name: 'Journal' })).toContainText('in its place')
})

test('many at once: one job, and what cannot be done to one does not stop the others', async ({ page }) => {
  await signIn(page, 'Hedda Vaas')
  await withFinding(page, 'damaged')
  // The search box finds the damaged one and the one with a broken copy: neither is a person of the same name.
  await page.goto('/containers?finding=any')
  const rows = page.getByRole('table', { name: 'Containers' }).getByRole('row')
  for (const finding of ['damaged', 'one copy broken'])
    await rows
      .filter({ has: page.getByText(finding, { exact: true }) })
      .first()
      .getByRole('checkbox')
      .check()
  const chosen = page.getByRole('region', { name: 'Chosen containers' })
  await expect(chosen).toContainText('2 containers of 2 people')
  await chosen.getByRole('button', { name: 'Repair…' }).click()
  await chosen.getByRole('button', { name: 'Repair 2' }).click()
  await expect(job(page)).toContainText('Left as it is: The structure is damaged', { timeout: 60_000 })
  await expect(job(page)).toContainText('content compared block by block')
  await page.goto('/journal')
  await expect(page.getByRole('table', { name: 'Journal' })).toContainText('done with 1, refused by 1')
})
