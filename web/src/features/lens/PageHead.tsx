import { useContext, useEffect } from 'react'
import { PlaceContext } from './lens'

/** Outside a network's frame, `of` says which network it is about. */
type PageHeadProps = { title: string; shown?: string; of?: string }

/** Names the page to the window, and to whoever does not see it: its first heading. */
export function PageHead({ title, shown, of }: PageHeadProps) {
  const network = useContext(PlaceContext)?.network.title ?? of
  const name = [title, network, 'Routrel'].filter(Boolean).join(' · ')
  useEffect(() => {
    document.title = name
  }, [name])
  return <h1 className={shown ?? 'sr-only'}>{title}</h1>
}
