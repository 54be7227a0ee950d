export * from './access'
export * from './account'
export * from './org'
