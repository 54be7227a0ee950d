export * from './location'
export * from './settings'
