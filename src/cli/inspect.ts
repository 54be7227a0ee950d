import { open } from 'node:fs/promises'
import { inspect, type ByteSource } from '../core/containers'
import { UsageError } from './usage'

/** `ikebana inspect`: one record a file, read in place. */
export async function inspectCommand(files: string[]): Promise<void> {
  if (files.length === 0) throw new UsageError('no file given; try: ikebana inspect FILE…')
  for (const path of files) {
    const file = await open(path).catch((error: NodeJS.ErrnoException) => { throw new UsageError(`${path}: ${error.code === 'ENOENT' ? 'no such file' : `cannot be read (${error.code})`}`) })
    try {
      const stat = await file.stat()
      if (!stat.isFile()) throw new UsageError(`${path} is not a file`)
      const source: ByteSource = {
        sizeBytes: stat.size,
        read: async (offset, length) => {
          const bytes = new Uint8Array(length)
          const { bytesRead } = await file.read(bytes, 0, length, offset)
          return bytes.subarray(0, bytesRead)
        },
      }
      process.stdout.write(JSON.stringify({ file: path, ...(await inspect(source)) }) + '\n')
    } finally {
      await file.close()
    }
  }
}
