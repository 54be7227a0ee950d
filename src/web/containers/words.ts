import { size } from '../kit/format'

/** `byte 1,048,576 (1 MiB)`: a place in a file. */
export const offsetWords = (offset: number): string => (offset === 0 ? 'byte 0' : `byte ${offset.toLocaleString('en-GB')}${offset >= 1024 ? ` (${size(offset)})` : ''}`)

export const weightClass = (weight: 'now' | 'soon' | 'tidy'): string => ({ now: 'madder', soon: 'ochre', tidy: 'stone' })[weight]

export interface Stretch { readonly what: string; readonly offset: number; readonly bytes: number }
export interface Drawn extends Stretch { readonly x: number; readonly width: number }

/**
 * Stretches of a file side by side on a strip: as long as they are, but none so short that it cannot be seen.
 * @param width of the strip @param least width of a stretch
 */
export function drawStretches(stretches: readonly Stretch[], width: number, least: number): Drawn[] {
  const all = stretches.reduce((sum, { bytes }) => sum + bytes, 0)
  if (all === 0) return []
  const wanted = stretches.map(({ bytes }) => Math.max(least, (bytes / all) * width))
  // What the short ones take beyond their share, the long ones give.
  const excess = wanted.reduce((a, b) => a + b, 0) - width
  const spare = wanted.reduce((sum, w) => sum + (w - least), 0)
  let x = 0
  return stretches.map((one, i) => {
    const w = (wanted[i] ?? least) - (spare > 0 && excess > 0 ? (((wanted[i] ?? least) - least) / spare) * excess : 0)
    const drawn = { ...one, x, width: w }
    x += w
    return drawn
  })
}

/** What each kind of stretch is for, in a few words. */
export const STRETCHES: Record<string, string> = {
  identifier: 'says what the file is', header: 'which log counts; two copies', 'region table': 'where table and metadata lie; two copies', reserved: 'left free by the format', log: 'what is on its way into the tables', metadata: 'size of the disk and of its blocks',
  'block table': 'where each block of the disk lies', block: 'what the disk holds', 'sector bitmap': 'which sectors are the parent’s', waste: 'nothing refers to it', footer: 'what the disk is', 'dynamic header': 'where the table lies', 'parent locator': 'where the parent is', payload: 'what the disk holds',
}
