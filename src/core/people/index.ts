export * from './account'
export * from './org'
