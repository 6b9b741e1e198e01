import type { Found } from '../../api/types'

type Results = { data?: Found[]; isPlaceholderData: boolean }

/**
 * What may be offered for these words. While new results are on their way, the old ones are cut down
 * to those that match, so that a quick Enter never chooses what the words no longer say.
 */
export function stillMatching(words: string, { data = [], isPlaceholderData }: Results): Found[] {
  if (!isPlaceholderData) return data
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean)
  return data.filter((item) => {
    const text = `${item.title} ${item.detail}`.toLowerCase()
    return wanted.every((word) => text.includes(word))
  })
}
