import { readFileSync } from 'node:fs'
import { expect, test } from '@playwright/test'
import { signIn } from './demo'

test('a share: room, growth, and the day when it is full', async ({ page }) => {
  await signIn(page, 'Nkem Okoro', '/containers')
  await page
    .getByRole('complementary')
    .getByRole('link', { name: /quay-fs1/ })
    .click({ timeout: 45_000 })
  await expect(page.getByText(/It grows by .* a day \(.* to .*, from the last 30 days\)/)).toBeVisible()
  await expect(page.getByText(/Full on/)).toBeVisible()
  await page.goto('/shares/hill-fs1')
  await expect(page.getByText('No trend in the last 30 days.')).toBeVisible()
})

test('permissions: what is wrong, who may do what and why, set right, and put back', async ({ page }) => {
  const stored = () => JSON.parse(readFileSync('.data/e2e/standins/hill-fs1/descriptors.json', 'utf8')) as { root: string }
  await signIn(page, 'Hedda Vaas', '/shares/hill-fs1')
  const findings = page.getByRole('list', { name: 'Wrong with the permissions' })
  await expect(findings).toContainText('can look into folders that others make')
  await page.getByRole('textbox', { name: 'Part of a person’s name' }).fill('an')
  await page.getByRole('complementary').getByRole('button', { name: /an/i }).first().click()
  const access = page.getByRole('complementary')
  await expect(access).toContainText('somebody else’s folder')
  await access
    .getByText(/why: the folder allows/)
    .last()
    .click()
  await expect(access).toContainText(/Entry \d+, everybody at Larkmere/)

  const folder = page.getByRole('region', { name: 'The folder inside' })
  const old = await folder.locator('code').first().textContent()
  await expect(folder.getByRole('button', { name: 'Set what it should be' })).toBeDisabled()
  await folder.getByLabel(/I know that this reaches/).check()
  await folder.getByRole('button', { name: 'Set what it should be' }).click()
  await expect(folder.getByRole('region', { name: 'Job' })).toContainText('as they were set')
  await expect(page.getByText('Nothing is wrong: people can make their own folder')).toBeVisible()
  expect(stored().root).toContain('(A;OICIIO;0x1301bf;;;S-1-3-4)')
  await folder.getByRole('button', { name: 'Put the old ones back' }).click()
  await expect.poll(() => stored().root).toBe(old)
  await page.goto('/journal')
  await expect(page.getByRole('table', { name: 'Journal' })).toContainText('Set the permissions of the folder')
})

test('whose a folder is: by its name, or a number in it; tried first, then set, and a look at the shares asked for', async ({ page }) => {
  await signIn(page, 'Hedda Vaas', '/shares/hill-fs1')
  const margin = page.getByRole('complementary')
  // Two folders are from the time when they were named by number.
  await expect(margin.getByRole('status')).toContainText('2 of them by a SID in the path')
  const naming = margin.getByRole('textbox', { name: 'Folders are named' })
  await naming.fill('%nickname%')
  await expect(margin.getByRole('status')).toContainText('%nickname% is not known here')
  await expect(margin.getByRole('button', { name: 'Set' }).last()).toBeDisabled()
  await naming.fill('%sid%')
  await expect(margin.getByRole('status')).toContainText(/2 of \d+ containers are somebody’s/)
  await expect(margin.getByRole('list', { name: 'Examples' })).toContainText(/nobody, was/)
  await naming.fill('%any%account%')
  await expect(margin.getByRole('status')).toContainText('A percent sign stands alone')
  await naming.fill('%account%%any%')
  await margin.getByRole('button', { name: 'Set' }).last().click()
  await expect(margin.getByRole('button', { name: 'Set' })).toHaveCount(1)
  await page.goto('/journal')
  await expect(page.getByRole('table', { name: 'Journal' })).toContainText('said how a share names its folders')
  await page.goto('/shares/hill-fs1')
  await naming.fill('%account%')
  await margin.getByRole('button', { name: 'Set' }).last().click()
  await expect(margin.getByRole('button', { name: 'Set' })).toHaveCount(1)

  await page.goto('/containers')
  const asked = page.waitForResponse((response) => response.url().endsWith('/api/scan') && response.request().method() === 'POST')
  await page.getByRole('button', { name: 'Look now' }).click()
  expect((await asked).status()).toBe(200)
  await expect(page.getByText(/last looked at/)).toBeVisible()
})
