const UNKEEPABLE = /[\0\ud800-\udfff]/
const LONE = /\0|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g

/** Whether any database can keep a text. */
export const isKeepable = (text: string): boolean => !UNKEEPABLE.test(text) || keepable(text) === text

/** A text that any database can keep: NUL and halves of surrogate pairs, which PostgreSQL refuses, become U+FFFD. */
export function keepable(text: string): string {
  return UNKEEPABLE.test(text) ? text.replace(LONE, '\ufffd') : text
}
