/** The files of what was dropped: those of folders, and of folders in them, too. */
export async function droppedFiles(transfer: DataTransfer | null): Promise<File[]> {
  // They are to be asked for before anything is waited for: afterwards the browser has forgotten them.
  const entries = [...(transfer?.items ?? [])].map((item) => (item.kind === 'file' ? item.webkitGetAsEntry() : null))
  const files = [...(transfer?.files ?? [])]
  if (!entries.some((entry) => entry?.isDirectory)) return files
  const found: File[] = []
  for (const entry of entries) if (entry) await collect(entry, found)
  return found.sort((a, b) => (a.name < b.name ? -1 : a.name > b.name ? 1 : 0))
}

async function collect(entry: FileSystemEntry, found: File[]): Promise<void> {
  if (entry.name.startsWith('.')) return
  if (entry.isFile) return void found.push(await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject)))
  const reader = (entry as FileSystemDirectoryEntry).createReader()
  // A hundred at a time, until there are none.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject))
    if (some.length === 0) return
    for (const one of some) await collect(one, found)
  }
}
