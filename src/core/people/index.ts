export * from './access'
export * from './account'
export * from './finder'
export * from './org'
