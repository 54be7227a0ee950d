import { expect, test } from '@playwright/test'
import { signIn } from './demo'

test('accounts and tokens: made, used once, forgotten, and found in the journal', async ({ page, browser }) => {
  await signIn(page, 'Hedda Vaas', '/access')
  const newAccount = page.getByRole('form', { name: 'New account' })
  await newAccount.getByLabel('Name to sign in with').fill('Night.Desk')
  await newAccount.getByLabel('Full name').fill('Night desk')
  await newAccount.getByLabel('Role').selectOption('help-desk')
  await newAccount.getByLabel(/^Password/).fill('calm waters at night')
  await newAccount.getByRole('button', { name: 'Make account' }).click()
  const line = page.getByRole('table', { name: 'Accounts' }).getByRole('row', { name: /night\.desk/ })
  await expect(line).toContainText('help desk')

  // They sign in elsewhere, and find their own password there, nothing else.
  const other = await browser.newContext()
  const theirs = await other.newPage()
  await theirs.goto(new URL('/sign-in?then=/access', page.url()).href)
  await theirs.getByLabel('Name').fill('night.desk')
  await theirs.getByLabel('Password').fill('calm waters at night')
  await theirs.getByRole('button', { name: 'Sign in', exact: true }).click()
  await expect(theirs.getByRole('heading', { level: 1 })).toHaveText('Your password')
  await expect(theirs.getByRole('table')).toHaveCount(0)

  await page.getByRole('form', { name: 'New token' }).getByLabel('What it is for').fill('exporter of the test')
  await page.getByRole('button', { name: 'Make token' }).click()
  const token = await page.getByRole('status').locator('code').first().textContent()
  const send = async () =>
    (
      await page.request.post('/api/evidence', {
        headers: { authorization: `Bearer ${token ?? ''}`, 'content-type': 'application/x-ndjson' },
        data: '\n',
      })
    ).status()
  expect(await send()).toBe(200)
  await page
    .getByRole('table', { name: 'Tokens' })
    .getByRole('row', { name: /exporter of the test/ })
    .getByRole('button', { name: 'Forget' })
    .click()
  await expect(page.getByRole('dialog')).toContainText('is refused from now on')
  await page.getByRole('dialog').getByRole('button', { name: 'Forget' }).click()
  await expect(page.getByRole('table', { name: 'Tokens' }).getByRole('row', { name: /exporter of the test/ })).toHaveCount(0)
  expect(await send()).toBe(401)

  await line.getByRole('button', { name: 'Forget' }).click()
  await expect(page.getByRole('dialog')).toContainText('1 open session of theirs ends')
  await page.getByRole('dialog').getByRole('button', { name: 'Forget' }).click()
  await expect(line).toHaveCount(0)
  await theirs.reload()
  await expect(theirs).toHaveURL(/sign-in/)
  await other.close()
  await page.goto('/journal')
  await expect(page.getByText('forgot an account').first()).toBeVisible()
})

test('the directory as a file: what it would replace is said before anything is, and nothing is by looking', async ({ page }) => {
  await signIn(page, 'Hedda Vaas', '/people')
  await page.getByText('Where people, groups, pools and hosts come from').click()
  const give = (name: string, text: string) =>
    page.getByLabel('The organisation').setInputFiles({ name, mimeType: 'application/json', buffer: Buffer.from(text) })
  await give('half.json', '{"people":[')
  await expect(page.getByRole('alert')).toHaveText('half.json is not valid JSON.')
  await give('wrong.json', JSON.stringify({ people: [{ name: 'nobody' }] }))
  await expect(page.getByRole('alert')).toContainText(/people.*id/i)
  await give('org.json', JSON.stringify({ people: [{ id: 'vera.new' }] }))
  const look = page.getByRole('region', { name: 'What the file replaces' })
  await expect(look.getByRole('row', { name: /^people/ })).toContainText(/people\s*\d+\s*1\s*\d+: .* and more/)
  await expect(look.getByRole('row', { name: /^hosts/ })).toContainText('BO-H1-01')
  await look.getByRole('button', { name: 'Leave it as it is' }).click()
  await expect(look).toHaveCount(0)
  await page.getByLabel('Part of a name').fill('vera.new')
  await expect(page.getByText('Nobody has “vera.new” in a name or account.')).toBeVisible()
})
