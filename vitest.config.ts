import { defineConfig } from 'vitest/config'
import { PLUGINS } from './vite.config.ts'

export default defineConfig({
  plugins: PLUGINS,
  test: { include: ['src/**/*.test.ts'], testTimeout: 60_000, hookTimeout: 120_000, pool: 'forks', maxWorkers: 2 },
})
