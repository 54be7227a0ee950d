export * from './fault'
export * from './ndjson'
export * from './observation'
export * from './otlp'
