export * from './readiness'
