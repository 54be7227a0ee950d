import type { InventoryRow } from './inventory'

/** A list of numbers that grows; half the memory of an ordinary list, and no garbage. */
class Growing<A extends Float64Array | Int32Array | Uint32Array> {
  length = 0
  constructor(
    public values: A,
    private readonly make: (length: number) => A,
  ) {}

  push(value: number): void {
    if (this.length === this.values.length) {
      const larger = this.make(this.length * 2)
      larger.set(this.values)
      this.values = larger
    }
    this.values[this.length++] = value
  }
}
const floats = () => new Growing(new Float64Array(1024), (n) => new Float64Array(n))
const ints = () => new Growing(new Int32Array(1024), (n) => new Int32Array(n))

/** Adds to one of many numbers; returns what it was before. */
export function addTo(values: Float64Array | Int32Array, at: number, amount: number): number {
  const before = values[at] ?? 0
  values[at] = before + amount
  return before
}

export interface Folder {
  readonly name: string
  readonly parent: number
  readonly children: Map<string, number>
}

/**
 * The folders of many profiles laid over each other: `AppData\Local` of everybody is one folder. Files stand as numbers in columns, so that two
 * million of them fit into about a hundred megabytes.
 */
export class FolderTree {
  readonly folders: Folder[] = [{ name: '', parent: -1, children: new Map() }]
  readonly people: string[] = []
  readonly #peopleBy = new Map<string, number>()
  /** Column by column: the folder, whose, how large, when changed, and where its name stands in `#names`. */
  readonly #folder = ints()
  readonly #person = ints()
  readonly #bytes = floats()
  readonly #modified = floats()
  readonly #nameAt = floats()
  #names = new Uint16Array(1 << 16)
  #namesEnd = 0
  #lastPath = ''
  #lastFolder = 0

  get files(): number {
    return this.#folder.length
  }

  add({ person, path, bytes, modifiedMs }: InventoryRow): void {
    const cut = path.lastIndexOf('\\')
    this.#folder.push(cut < 0 ? 0 : this.#folderOf(path.slice(0, cut)))
    this.#person.push(this.#personOf(person))
    this.#bytes.push(bytes)
    this.#modified.push(modifiedMs)
    this.#nameAt.push(this.#keepName(path, cut + 1))
  }

  folderOf(file: number): number {
    return this.#folder.values[file] ?? 0
  }
  personOf(file: number): number {
    return this.#person.values[file] ?? 0
  }
  bytesOf(file: number): number {
    return this.#bytes.values[file] ?? 0
  }
  modifiedOf(file: number): number {
    return this.#modified.values[file] ?? 0
  }

  nameOf(file: number): string {
    const from = this.#nameAt.values[file] ?? 0
    const end = file + 1 < this.files ? (this.#nameAt.values[file + 1] ?? 0) : this.#namesEnd
    return String.fromCharCode.apply(null, this.#names.subarray(from, end) as unknown as number[])
  }

  /** The path of a folder below the profile; of the profile itself, nothing. */
  pathOf(folder: number): string {
    const names: string[] = []
    for (let at = folder; at > 0; at = this.folders[at]?.parent ?? 0) names.push(this.folders[at]?.name ?? '')
    return names.reverse().join('\\')
  }

  /** Files by folder: `order` lists all files, those of folder f from `from[f]` to `from[f + 1]`. */
  byFolder(): { order: Int32Array; from: Int32Array } {
    const from = new Int32Array(this.folders.length + 1)
    for (let file = 0; file < this.files; file++) addTo(from, this.folderOf(file) + 1, 1)
    for (let folder = 0; folder < this.folders.length; folder++) addTo(from, folder + 1, from[folder] ?? 0)
    const order = new Int32Array(this.files)
    const next = from.slice()
    for (let file = 0; file < this.files; file++) order[addTo(next, this.folderOf(file), 1)] = file
    return { order, from }
  }

  #folderOf(path: string): number {
    // Inventories list a folder's files one after another.
    if (path === this.#lastPath) return this.#lastFolder
    let at = 0
    let begin = 0
    while (begin <= path.length) {
      const end = path.indexOf('\\', begin)
      const name = path.slice(begin, end < 0 ? path.length : end)
      begin = end < 0 ? path.length + 1 : end + 1
      if (name === '') continue
      const { children } = this.folders[at] ?? { children: new Map<string, number>() }
      let child = children.get(name)
      if (child === undefined) {
        // The same folder in another letter case is the same folder.
        const key = name.toLowerCase()
        child = children.get(key)
        if (child === undefined) {
          child = this.folders.length
          this.folders.push({ name, parent: at, children: new Map() })
          children.set(key, child)
        }
        if (name !== key) children.set(name, child)
      }
      at = child
    }
    this.#lastPath = path
    this.#lastFolder = at
    return at
  }

  #personOf(person: string): number {
    let found = this.#peopleBy.get(person)
    if (found === undefined) {
      found = this.people.length
      this.people.push(person)
      this.#peopleBy.set(person, found)
    }
    return found
  }

  #keepName(path: string, from: number): number {
    const length = path.length - from
    if (this.#namesEnd + length > this.#names.length) {
      const larger = new Uint16Array(Math.max(this.#names.length * 2, this.#namesEnd + length))
      larger.set(this.#names)
      this.#names = larger
    }
    const at = this.#namesEnd
    for (let i = 0; i < length; i++) this.#names[at + i] = path.charCodeAt(from + i)
    this.#namesEnd += length
    return at
  }
}

export interface FolderSums {
  /** By folder, everything below it included. */
  readonly bytes: Float64Array
  readonly files: Float64Array
  /** How many people have anything in it. */
  readonly people: Int32Array
}

/** What each folder holds with all that is below it. Children stand after their parents, so that one way back adds everything up. */
export function sumsOf(tree: FolderTree): FolderSums {
  const n = tree.folders.length
  const bytes = new Float64Array(n)
  const files = new Float64Array(n)
  const people = new Int32Array(n)
  const seen = new Int32Array(n).fill(-1)
  // By person, so that each is counted once in a folder however the rows were mixed.
  for (const file of byPerson(tree)) {
    const folder = tree.folderOf(file)
    addTo(bytes, folder, tree.bytesOf(file))
    addTo(files, folder, 1)
    const person = tree.personOf(file)
    for (let at = folder; at >= 0 && seen[at] !== person; at = tree.folders[at]?.parent ?? -1) {
      seen[at] = person
      addTo(people, at, 1)
    }
  }
  for (let folder = n - 1; folder > 0; folder--) {
    const parent = tree.folders[folder]?.parent ?? 0
    addTo(bytes, parent, bytes[folder] ?? 0)
    addTo(files, parent, files[folder] ?? 0)
  }
  return { bytes, files, people }
}

/** All files, person by person. */
function byPerson(tree: FolderTree): Int32Array {
  const from = new Int32Array(tree.people.length + 1)
  for (let file = 0; file < tree.files; file++) addTo(from, tree.personOf(file) + 1, 1)
  for (let person = 0; person < tree.people.length; person++) addTo(from, person + 1, from[person] ?? 0)
  const order = new Int32Array(tree.files)
  for (let file = 0; file < tree.files; file++) order[addTo(from, tree.personOf(file), 1)] = file
  return order
}

/** A folder as a picture shows it: the larger ones in it each, the small ones together. */
export interface FolderPicture {
  readonly folder: number
  readonly name: string
  readonly path: string
  readonly bytes: number
  readonly files: number
  readonly people: number
  readonly children: readonly FolderPicture[]
  /** What lies in it directly, and in folders too small to show. */
  readonly restBytes: number
}

/** @param smallest folders below this part of the whole are not shown alone */
export function pictureOf(tree: FolderTree, sums: FolderSums, root: number, depth: number, smallest = 0.006): FolderPicture {
  const whole = sums.bytes[root] ?? 0
  const draw = (folder: number, left: number): FolderPicture => {
    const ids = [...new Set(tree.folders[folder]?.children.values() ?? [])]
    const shown = left === 0 ? [] : ids.filter((id) => (sums.bytes[id] ?? 0) >= whole * smallest && (sums.bytes[id] ?? 0) > 0)
    const children = shown.sort((a, b) => (sums.bytes[b] ?? 0) - (sums.bytes[a] ?? 0)).map((id) => draw(id, left - 1))
    const bytes = sums.bytes[folder] ?? 0
    return {
      folder,
      name: tree.folders[folder]?.name ?? '',
      path: tree.pathOf(folder),
      bytes,
      files: sums.files[folder] ?? 0,
      people: sums.people[folder] ?? 0,
      children,
      restBytes: bytes - children.reduce((sum, child) => sum + child.bytes, 0),
    }
  }
  return draw(root, depth)
}
