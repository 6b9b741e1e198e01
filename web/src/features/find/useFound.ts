import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { findQuery } from '../../api/queries'
import { usePause } from '../../ui/usePause'
import { useLens } from '../lens/lens'
import { stillMatching } from './matching'

/** What is found by what is being typed: asked once typing pauses, and cut down meanwhile to what still matches. */
export function useFound(words: string, { endpoints }: { endpoints: boolean }) {
  const asked = usePause(words.trim())
  const found = useQuery({
    ...findQuery(useLens(), asked, endpoints),
    placeholderData: keepPreviousData,
  })
  const isOld = found.isPlaceholderData || asked !== words.trim()
  return { found, isOld, results: stillMatching(words, { data: found.data, isPlaceholderData: isOld }) }
}
