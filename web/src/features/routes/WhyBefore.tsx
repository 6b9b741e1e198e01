import { useMemo } from 'react'
import { lensWords } from '../../wording'
import { PlaceContext, usePlace } from '../lens/lens'
import { WhyPanel } from './WhyPanel'

/** The same decision in the second lens, if one is pinned: the ladder of before, under that of now. */
export function WhyBefore({ q, device, vrf }: { q: string; device: string; vrf: string }) {
  const { network, lens, pinned } = usePlace()
  const { slug } = lens
  const place = useMemo(() => ({ network, lens: { slug, ...pinned } }), [network, slug, pinned])
  if (!pinned) return null
  return (
    <PlaceContext value={place}>
      <WhyPanel q={q} device={device} vrf={vrf} before={lensWords(pinned)} />
    </PlaceContext>
  )
}
