/** Finding by words: all of them somewhere, in any order, whatever their case. */
export function finder(search: string): (...texts: string[]) => boolean {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean)
  return (...texts) => {
    const text = texts.join(' ').toLowerCase()
    return words.every((word) => text.includes(word))
  }
}
