export * from './check'
export * from './rights'
export * from './sddl'
export * from './sid'
