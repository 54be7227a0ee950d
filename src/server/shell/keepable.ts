import { isKeepable } from '../../core/formats'

/** Where in a request a text, or the name of a field, has a character that no database keeps: NUL, or half of a surrogate pair. Null where there is none. */
export function unkeepableIn(value: unknown, path = ''): string | null {
  if (typeof value === 'string') return isKeepable(value) ? null : path
  // Bytes are no texts yet: who reads them looks at what they say.
  if (typeof value !== 'object' || value === null || ArrayBuffer.isView(value)) return null
  const at = (name: string) => (path === '' ? name : `${path}.${name}`)
  if (Array.isArray(value)) {
    // Without naming each: there may be millions.
    for (let i = 0; i < value.length; i++) {
      const inner: unknown = value[i]
      if (typeof inner !== 'string' && typeof inner !== 'object') continue
      const found = unkeepableIn(inner, '')
      if (found !== null) return at(found === '' ? String(i) : `${i}.${found}`)
    }
    return null
  }
  for (const [name, inner] of Object.entries(value)) {
    if (!isKeepable(name)) return path
    const found = unkeepableIn(inner, at(name))
    if (found !== null) return found
  }
  return null
}
