/**
 * The same answers, each worked out once as long as it is remembered: when there are too many, all are forgotten and it begins anew.
 * @param most so many are remembered
 * @param answer depends on nothing but the text
 */
export function remembering<T>(most: number, answer: (text: string) => T): (text: string) => T {
  const known = new Map<string, T>()
  return (text) => {
    let one = known.get(text)
    if (one === undefined && !known.has(text)) {
      if (known.size >= most) known.clear()
      known.set(text, (one = answer(text)))
    }
    return one as T
  }
}
