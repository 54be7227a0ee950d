import { isKeepable } from '../../core/formats'

/** Where in a request a text, or the name of a field, has a character that no database keeps: NUL, or half of a surrogate pair. Null where there is none. */
export function unkeepableIn(value: unknown, path = ''): string | null {
  if (typeof value === 'string') return isKeepable(value) ? null : path
  if (typeof value !== 'object' || value === null) return null
  for (const [name, inner] of Object.entries(value)) {
    if (!isKeepable(name)) return path
    const found = unkeepableIn(inner, path === '' ? name : `${path}.${name}`)
    if (found !== null) return found
  }
  return null
}
