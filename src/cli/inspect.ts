import { inspect } from '../core/containers'
import { openDisk } from '../server/containers/open-disk'
import { UsageError } from './usage'

/** `ikebana inspect`: one record a file, read in place. */
export async function inspectCommand(files: string[]): Promise<void> {
  if (files.length === 0) throw new UsageError('no file given; try: ikebana inspect FILE…')
  for (const path of files) {
    const disk = opened(path)
    try {
      process.stdout.write(JSON.stringify({ file: path, ...(await inspect(disk)) }) + '\n')
    } finally {
      disk.close()
    }
  }
}

function opened(path: string): ReturnType<typeof openDisk> {
  try {
    return openDisk(path)
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code ?? ''
    throw new UsageError(code === 'EISDIR' ? `${path} is not a file` : `${path}: ${code === 'ENOENT' ? 'no such file' : `cannot be read (${code})`}`)
  }
}
