import { writeFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, test } from '@playwright/test'
import { signIn } from './demo'

test('what agents saw: folders by size, a rule tried on everybody, and taken into a draft of the policy', async ({ page }) => {
  await signIn(page, 'Hedda Vaas', '/inside')
  const read = page.getByRole('button', { name: 'Read what agents saw' })
  await expect(read).toBeEnabled({ timeout: 60_000 })
  await read.click()
  await expect(page.getByRole('heading', { level: 1 })).toContainText(/GiB in .* files of \d+ people/)
  await page.getByRole('button', { name: /^AppData\\Local\\Larkmail:/ }).click()
  await page.getByRole('button', { name: 'leave it out' }).click()
  const rules = page.getByRole('table', { name: 'Path rules' })
  await expect(rules).toContainText('people')
  const margin = page.getByRole('complementary')
  await expect(margin).toContainText('No document that was changed')
  // A rule that also takes documents: what would be lost is named.
  await page.getByRole('button', { name: 'Write a rule' }).click()
  await page.getByLabel('Rule 2 path').fill('%nowhere%')
  await page.getByLabel('Rule 2 path').blur()
  await expect(rules.getByRole('alert')).toContainText('is not known here')
  await page.getByLabel('Rule 2 path').fill('**\\*.xlsx')
  await page.getByLabel('Rule 2 path').blur()
  await expect(page.getByRole('table', { name: 'What would be lost' })).toContainText('.xlsx')
  await page.getByLabel('Take rule 2 away').click()
  await margin.getByRole('button', { name: 'Put these rules into a draft of the policy' }).click()
  await expect(page).toHaveURL(/\/policies/)
  await expect(page.getByRole('status')).toContainText('Taken into this draft')
  await expect(page.getByRole('complementary')).toContainText('Path rules')
  await page.getByRole('button', { name: 'Throw the draft away' }).click()
})

test('an inventory of one’s own is read in the browser, and one bad line does not spoil it', async ({ page }) => {
  const path = join(tmpdir(), `ikebana-${process.pid}.csv`)
  writeFileSync(
    path,
    `path,bytes,modified,person\r\nC:\\Users\\mara\\Documents\\a.docx,1048576,2026-11-01T00:00:00Z,mara\r\n"C:\\Users\\mara\\x, y\\b.bin",3145728,,mara\r\nnonsense\r\n`,
  )
  await signIn(page, 'Nkem Okoro', '/inside')
  await page.getByLabel('Read a file').setInputFiles(path)
  await expect(page.getByRole('heading', { level: 1 })).toContainText('4.0 MiB in 2 files of 1 person')
  await expect(page.getByText('1 line could not be read')).toBeVisible()
  await expect(page.getByRole('button', { name: /^x, y: 3.0 MiB/ })).toBeVisible()
  rmSync(path)
})

test('a day under file roaming: two hosts, one file, and who wins', async ({ page }) => {
  await signIn(page, 'Hedda Vaas', '/file-roaming')
  await expect(page.getByRole('table', { name: 'Conflicts' })).toContainText('the plan, as changed on B')
  await page.getByLabel('What changed is written back').selectOption('during-session')
  await expect(page.getByRole('table', { name: 'Conflicts' })).toContainText('the plan, as changed on A')
  await page.getByLabel('Story', { exact: true }).selectOption('a profile from before lies on a host')
  await page.getByLabel('A profile found on the host from before').selectOption('remove')
  await expect(page.getByRole('table', { name: 'Lost' })).toContainText('a sheet that nobody else has')
  await page.getByRole('button', { name: 'Put this into a draft of the policy' }).click()
  await expect(page.getByRole('complementary')).toContainText('File roaming')
  await expect(page.getByRole('complementary')).toContainText('an existing profile: remove')
})
