const UNKEEPABLE = /[\0\ud800-\udfff]/
const LONE = /\0|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g

/** A text that any database can keep: NUL and halves of surrogate pairs, which PostgreSQL refuses, become U+FFFD. */
export function keepable(text: string): string {
  return UNKEEPABLE.test(text) ? text.replace(LONE, '\ufffd') : text
}

/** Whether any letter in a text of JSON is written by its number. */
export function hasNumbered(text: string): boolean {
  for (let at = text.indexOf('\\u'); at >= 0; at = text.indexOf('\\u', at + 2)) {
    // Two backslashes are one, and no escape of what follows.
    let first = at
    while (text[first - 1] === '\\') first--
    if ((at - first) % 2 === 0) return true
  }
  return false
}
