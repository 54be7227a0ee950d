import { defineConfig } from '@playwright/test'

/** One demo of small size for all tests: they run one after another and read each other's journal. */
const PORT = 4140
export default defineConfig({
  testDir: 'e2e',
  // Far more than a machine at rest needs: on a busy one a page may stand still for half a minute.
  timeout: 180_000,
  workers: 1,
  fullyParallel: false,
  retries: 0,
  reporter: [['list']],
  expect: { timeout: 40_000 },
  use: {
    baseURL: `http://127.0.0.1:${PORT}`,
    viewport: { width: 1280, height: 800 },
    timezoneId: 'Europe/Copenhagen',
    // Recording takes the runner a third more of processor time; where nobody can open it, none is made.
    trace: process.env['CI'] ? 'off' : 'retain-on-failure',
    launchOptions: {
      executablePath: process.env['CHROMIUM'] ?? '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
  webServer: {
    command: `node scripts/demo.mjs --fresh --data .data/e2e --port ${PORT} --people 260 --days 4 --floor 40`,
    wait: { stdout: /ready after/ },
    timeout: 300_000,
    reuseExistingServer: false,
    gracefulShutdown: { signal: 'SIGTERM', timeout: 8000 },
    ignoreHTTPSErrors: true,
  },
})
