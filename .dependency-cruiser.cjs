/** The floors and wings of docs/architecture.md, as a rule. */
const WINGS = 'logons|containers|policies|people|pools|journal|admins|files'
module.exports = {
  forbidden: [
    {
      name: 'core-imports-core-only',
      severity: 'error',
      from: { path: '^src/core', pathNot: '(\\.test\\.ts|/fixtures/.*)$' },
      to: { pathNot: '^src/core' },
    },
    {
      name: 'contract-imports-core-and-zod',
      severity: 'error',
      from: { path: '^src/contract' },
      to: { pathNot: '^(src/(core|contract)|node_modules/zod)' },
    },
    {
      name: 'server-never-imports-web-standins-cli',
      severity: 'error',
      from: { path: '^src/server', pathNot: '\\.test\\.ts$' },
      to: { path: '^src/(web|standins|cli)' },
    },
    { name: 'web-never-imports-server-standins-cli', severity: 'error', from: { path: '^src/web' }, to: { path: '^src/(server|standins|cli)' } },
    { name: 'standins-speak-over-the-wire', severity: 'error', from: { path: '^src/standins' }, to: { path: '^src/(server|web|cli)' } },
    {
      name: 'cli-takes-only-readers-from-the-server',
      severity: 'error',
      from: { path: '^src/cli' },
      to: { path: '^src/(web|standins)|^src/server/(?!logons/evidence-file|logons/event-map-file|containers/open-disk)' },
    },
    {
      name: 'core-wings-through-index',
      severity: 'error',
      from: { path: '^src/(?:contract|server|web|cli)/' },
      to: { path: `^src/core/(${WINGS}|formats)/(?!index\\.ts)`, pathNot: '^src/core/logons/(attempt|observation|parts)\\.ts$' },
    },
    {
      name: 'no-circles-between-modules',
      severity: 'error',
      from: { path: '^src/(server|contract|standins|cli)' },
      to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } },
    },
  ],
  options: {
    tsPreCompilationDeps: true,
    doNotFollow: { path: 'node_modules' },
    tsConfig: { fileName: 'tsconfig.server.json' },
    exclude: { path: '\\.test\\.ts$' },
  },
}
