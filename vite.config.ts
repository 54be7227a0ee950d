import vue from '@vitejs/plugin-vue'
import { BootstrapVueNextResolver } from 'bootstrap-vue-next/resolvers'
import Icons from 'unplugin-icons/vite'
import IconsResolver from 'unplugin-icons/resolver'
import Components from 'unplugin-vue-components/vite'
import { defineConfig } from 'vite'

/** What turns pages into code; the tests of pages use the same. */
export const PLUGINS = [
  // A line break between two words or links is a space, as HTML has it; else they would stand together.
  vue({ template: { compilerOptions: { whitespace: 'preserve' } } }),
  Components({
    dirs: [],
    dts: process.env['VITEST'] ? false : '../../components.d.ts',
    resolvers: [BootstrapVueNextResolver(), IconsResolver({ prefix: 'i', enabledCollections: ['lucide'] })],
  }),
  Icons({ compiler: 'vue3', autoInstall: false }),
]

export default defineConfig({
  root: 'src/web',
  build: {
    outDir: '../../dist/web',
    emptyOutDir: true,
    target: 'es2023',
    assetsInlineLimit: 0,
    chunkSizeWarningLimit: 900,
    // Which plugin took how long is nothing that whoever starts the demo has to know.
    rolldownOptions: { checks: { bundlerTimings: false } },
  },
  plugins: PLUGINS,
  optimizeDeps: { include: ['bootstrap-vue-next/components/*'] },
  worker: { format: 'es' },
  server: { proxy: { '/api': 'http://127.0.0.1:4040', '/v1': 'http://127.0.0.1:4040' } },
})
