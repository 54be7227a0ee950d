export * from './reader'
export * from './rule'
export { encodingOf } from './scan'
export { SHIPPED_RULES } from './shipped'
