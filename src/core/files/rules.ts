import type { PathRule } from '../policies/settings'
import { advance, beginOf, fits, readPattern, type Pattern, type Progress } from './pattern'
import { addTo, type FolderTree } from './tree'

/** What fetching costs, for an estimate of how long a logon takes whose files are all fetched at logon. */
export interface FetchCost {
  /** Time that each file costs beside its bytes: opening, reading and closing over the network. */
  readonly perFileMs: number
  readonly bytesPerSecond: number
}

export interface RuleEffect {
  readonly rule: PathRule
  readonly files: number
  readonly bytes: number
  readonly people: number
}

/** A file that would no longer be kept although somebody seems to have worked on it. */
export interface LostFile {
  readonly person: string
  readonly path: string
  readonly bytes: number
  readonly modifiedMs: number
  readonly rule: number
}

export interface RulesResult {
  readonly before: Totals
  readonly after: Totals
  readonly rules: readonly RuleEffect[]
  /** Of all people, the one in the middle and the one of whom nine in ten have less. */
  readonly perPerson: { readonly before: Spread; readonly after: Spread }
  /** How long fetching everything takes at logon, in milliseconds. */
  readonly logonMs: { readonly before: Spread; readonly after: Spread }
  readonly smallerFor: number
  /** Files left out that look like somebody's work: documents, changed lately. The largest are named. */
  readonly lost: { readonly files: number; readonly bytes: number; readonly people: number; readonly examples: readonly LostFile[] }
}
export interface Totals {
  readonly files: number
  readonly bytes: number
  readonly people: number
}
export interface Spread {
  readonly middle: number
  readonly ninth: number
}

/** Names that people give to what they make themselves. */
const DOCUMENT = /\.(docx?|xlsx?|pptx?|odt|ods|odp|pdf|txt|rtf|csv|md|jpe?g|png|tiff?|heic|mp4|mov|pst|ost|one|vsdx?|dwg|dxf|psd|ai|indd|kdbx|zip)$/i
const LATELY_MS = 180 * 86_400_000
const EXAMPLES = 100

/**
 * Which rule counts for each file: the first that covers it; -1 where none does (it is kept). The folders are walked once with all patterns at the same
 * time; a file's name is looked at only where a pattern could still fit it.
 * @throws RangeError for a pattern that cannot be read
 */
export function ruleOfFiles(tree: FolderTree, rules: readonly PathRule[]): Int32Array {
  const patterns = rules.map(({ pattern }): Pattern => {
    const reading = readPattern(pattern)
    if (!reading.ok) throw new RangeError(reading.sentence)
    return reading.pattern
  })
  const result = new Int32Array(tree.files).fill(-1)
  const { order, from } = tree.byFolder()
  interface Open {
    readonly rule: number
    readonly pattern: Pattern
    readonly progress: Progress
  }
  const visit = (folder: number, opens: readonly Open[], decided: number) => {
    for (let i = from[folder] ?? 0; i < (from[folder + 1] ?? 0); i++) {
      const file = order[i] ?? 0
      let rule = decided
      if (opens.length > 0) {
        const name = tree.nameOf(file).toLowerCase()
        for (const open of opens) {
          if (!fits(open.pattern, advance(open.pattern, open.progress, name))) continue
          rule = open.rule
          break
        }
      }
      result[file] = rule
    }
    for (const child of new Set(tree.folders[folder]?.children.values() ?? [])) {
      const name = (tree.folders[child]?.name ?? '').toLowerCase()
      let settled = decided
      const next: Open[] = []
      for (const { rule, pattern, progress } of opens) {
        const further = advance(pattern, progress, name)
        if (further.length === 0) continue
        if (fits(pattern, further)) {
          // Rules after this one no longer count in here; those before it may still fit deeper down.
          settled = rule
          break
        }
        next.push({ rule, pattern, progress: further })
      }
      visit(child, next, settled)
    }
  }
  visit(
    0,
    patterns.map((pattern, rule) => ({ rule, pattern, progress: beginOf(pattern) })),
    -1,
  )
  return result
}

/** What rules do to everybody's profile: how much smaller, for whom, how much sooner a logon is done, and what would be lost. */
export function tryRules(tree: FolderTree, rules: readonly PathRule[], cost: FetchCost, nowMs: number): RulesResult {
  const ruleOf = ruleOfFiles(tree, rules)
  const n = tree.people.length
  const before = { files: new Float64Array(n), bytes: new Float64Array(n) }
  const after = { files: new Float64Array(n), bytes: new Float64Array(n) }
  const effects = rules.map((rule) => ({ rule, files: 0, bytes: 0, whose: new Uint8Array(n) }))
  const lost = { files: 0, bytes: 0, whose: new Uint8Array(n), examples: [] as { file: number; rule: number }[] }
  for (let file = 0; file < tree.files; file++) {
    const person = tree.personOf(file)
    const bytes = tree.bytesOf(file)
    addTo(before.files, person, 1)
    addTo(before.bytes, person, bytes)
    const rule = ruleOf[file] ?? -1
    const effect = effects[rule]
    if (effect) {
      effect.files++
      effect.bytes += bytes
      effect.whose[person] = 1
    }
    if (effect?.rule.does !== 'skip') {
      addTo(after.files, person, 1)
      addTo(after.bytes, person, bytes)
    } else if (tree.modifiedOf(file) > nowMs - LATELY_MS && DOCUMENT.test(tree.nameOf(file))) {
      lost.files++
      lost.bytes += bytes
      lost.whose[person] = 1
      keepLargest(lost.examples, { file, rule }, tree)
    }
  }
  const times = ({ files, bytes }: typeof before) => files.map((count, i) => count * cost.perFileMs + ((bytes[i] ?? 0) / cost.bytesPerSecond) * 1000)
  return {
    before: totals(before),
    after: totals(after),
    rules: effects.map(({ whose, ...effect }) => ({ ...effect, people: sum(whose) })),
    perPerson: { before: spread(before.bytes), after: spread(after.bytes) },
    logonMs: { before: spread(times(before)), after: spread(times(after)) },
    smallerFor: before.bytes.reduce((count, bytes, i) => count + (bytes > (after.bytes[i] ?? 0) ? 1 : 0), 0),
    lost: {
      files: lost.files,
      bytes: lost.bytes,
      people: sum(lost.whose),
      examples: lost.examples.map(({ file, rule }) => ({
        person: tree.people[tree.personOf(file)] ?? '',
        path: [tree.pathOf(tree.folderOf(file)), tree.nameOf(file)].filter((part) => part !== '').join('\\'),
        bytes: tree.bytesOf(file),
        modifiedMs: tree.modifiedOf(file),
        rule,
      })),
    },
  }
}

function keepLargest(kept: { file: number; rule: number }[], one: { file: number; rule: number }, tree: FolderTree): void {
  const bytes = tree.bytesOf(one.file)
  if (kept.length >= EXAMPLES && tree.bytesOf(kept.at(-1)?.file ?? 0) >= bytes) return
  let at = kept.length
  while (at > 0 && tree.bytesOf(kept[at - 1]?.file ?? 0) < bytes) at--
  kept.splice(at, 0, one)
  if (kept.length > EXAMPLES) kept.pop()
}

const sum = (values: Uint8Array | Float64Array): number => (values as Float64Array).reduce((all, value) => all + value, 0)
const totals = ({ files, bytes }: { files: Float64Array; bytes: Float64Array }): Totals => ({
  files: sum(files),
  bytes: sum(bytes),
  people: files.length,
})

function spread(values: Float64Array): Spread {
  const sorted = values.slice().sort()
  const at = (part: number) => sorted[Math.min(sorted.length - 1, Math.floor(part * sorted.length))] ?? 0
  return { middle: at(0.5), ninth: at(0.9) }
}
