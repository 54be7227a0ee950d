import { expect, test } from '@playwright/test'
import { signIn } from './demo'

test('hosts that are ready: who is not, why, side by side; leftovers go, and the host is ready', async ({ page }) => {
  await signIn(page, 'Hedda Vaas', '/pools')
  const pools = page.getByRole('list', { name: 'Pools' })
  await expect(pools).toContainText(/with local profiles in the way/, { timeout: 60_000 })
  await pools.getByRole('button', { name: /Season crew/ }).click()
  await expect(page.getByRole('complementary')).toContainText('1.3.2', { timeout: 45_000 })
  await expect(page.getByRole('complementary')).toContainText('Agent')

  await pools.getByRole('button', { name: /Back office/ }).click()
  await page.getByLabel('only those with something to do').check()
  const rows = page.getByRole('table', { name: 'Hosts' }).getByRole('row').filter({ hasText: 'in the way' })
  await expect(rows.first()).toContainText('not ready')
  await page.getByRole('button', { name: 'Remove local profiles…' }).click()
  await expect(page.getByRole('complementary')).toContainText('What is in them is gone afterwards')
  await page.getByRole('button', { name: /Remove \d+ local profile/ }).click()
  const job = page.getByRole('region', { name: 'Job' })
  await expect(job).toContainText('removed with everything in it')
  await expect(job.getByRole('status')).toContainText('Done')
  await expect(rows).toHaveCount(0, { timeout: 30_000 })
  await page.getByRole('button', { name: /Let all \d+ fetch/ }).click()
  await expect(job).toContainText(/fetched and reported/)
  await page.goto('/journal')
  await expect(page.getByRole('table', { name: 'Journal' })).toContainText('local profiles')
})

test('a pool is proven with a test person: on, off, clean, on again elsewhere, the same; and what came of it is kept', async ({ page }) => {
  test.setTimeout(280_000)
  await signIn(page, 'Hedda Vaas', '/pools?pool=ticket-hall')
  const job = page.getByRole('region', { name: 'Job' })
  // Another test may have published a setting that waits for a restart; a host that waits is, rightly, not proven.
  await expect(page.getByRole('table', { name: 'Hosts' })).toContainText('TH-')
  const restart = page.getByRole('button', { name: 'Restart those that wait for it…' })
  if (await restart.isVisible()) {
    await restart.click()
    await page.getByRole('button', { name: 'Restart', exact: true }).click()
    await expect(job.getByRole('status')).toContainText('Done', { timeout: 120_000 })
    await expect(restart).toHaveCount(0, { timeout: 30_000 })
    await page.reload()
  }
  await page.getByRole('button', { name: 'Prove it…' }).click()
  await page.getByLabel('Test person').fill('proof.ticket-hall')
  await page.getByRole('button', { name: 'Prove Ticket halls' }).click()
  await expect(job).toContainText('the same, with the mark', { timeout: 120_000 })
  await expect(job).toContainText('takes sessions again')
  await expect(job.getByRole('status')).toContainText('Done')
  await page.reload()
  await expect(page.getByRole('complementary')).toContainText(
    /Proven .* with proof\.ticket-hall\. The same container on TH-.* and on TH-.*; nothing was left behind/,
  )
})
