export * from './crc32c'
export * from './inspect'
export * from './inspection'
export * from './vhdx/write'
