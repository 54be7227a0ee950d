import { describe, expect, it } from 'vitest'
import { droppedFiles } from './dropped'

/** Entries as a browser hands them out: a folder gives what is in it a few at a time, and none at the end. */
const file = (name: string) => ({ isFile: true, isDirectory: false, name, file: (done: (file: File) => void) => done(new File(['x'], name)) })
const folder = (name: string, ...inside: object[]) => ({
  isFile: false,
  isDirectory: true,
  name,
  createReader() {
    const left = [...inside]
    return { readEntries: (done: (entries: object[]) => void) => done(left.splice(0, 2)) }
  },
})
const dropped = (...entries: { name: string; isFile: boolean }[]) =>
  ({
    items: entries.map((entry) => ({ kind: 'file', webkitGetAsEntry: () => entry })),
    files: entries.map(({ name }) => new File(['x'], name)),
  }) as unknown as DataTransfer

describe('what is dropped', () => {
  it('are files as they are, in their order', async () => {
    expect((await droppedFiles(dropped(file('b.xml'), file('a.xml')))).map(({ name }) => name)).toEqual(['b.xml', 'a.xml'])
    expect(await droppedFiles(null)).toEqual([])
  })

  it('are the files of folders and of those in them, without hidden ones', async () => {
    const logs = folder('logs', file('z.xml'), folder('SRV-01', file('security.xml'), file('.DS_Store'), file('policy.xml')), file('a.ndjson'))
    expect((await droppedFiles(dropped(logs, file('m.csv')))).map(({ name }) => name)).toEqual([
      'a.ndjson',
      'm.csv',
      'policy.xml',
      'security.xml',
      'z.xml',
    ])
  })

  it('fails where a folder cannot be read', async () => {
    const locked = {
      ...folder('x'),
      createReader: () => ({ readEntries: (_: unknown, refuse: (error: Error) => void) => refuse(new Error('no permission')) }),
    }
    await expect(droppedFiles(dropped(locked))).rejects.toThrow('no permission')
  })
})
