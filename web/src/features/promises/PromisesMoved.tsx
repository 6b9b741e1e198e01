import { Link } from 'react-router'
import type { Base, Lens } from '../../api/queries'
import type { Promised } from '../../api/types'
import { Mono, Panel, Problem, Waiting } from '../../ui/controls'
import { counted } from '../../wording'
import { useLinkTo } from '../lens/lens'
import { useCheck } from './useCheck'

/** The promises that a lens breaks or mends, held against another one. */
export function PromisesMoved({ lens, base }: { lens: Lens; base: Base }) {
  const now = useCheck(false, lens)
  const before = useCheck(false, { slug: lens.slug, ...base })
  const to = useLinkTo()
  const error = now.error ?? before.error
  if (error) return <Problem error={error} />
  if (!now.answer || !before.answer) return <Waiting what="Holding promises against both" />
  const known = new Map(before.answer.promises.map((each) => [each.id, each]))
  const broken = now.answer.promises.filter((each) => !each.kept && known.get(each.id)?.kept)
  const mended = now.answer.promises.filter((each) => each.kept && known.get(each.id)?.kept === false)
  const others = now.answer.promises.length - broken.length - mended.length
  if (now.answer.promises.length === 0) return null
  const listed = (title: string, promises: Promised[], colour: string) =>
    promises.length > 0 && (
      <>
        <h3 className={`mt-1 font-semibold ${colour}`}>{title}</h3>
        <ul>
          {promises.map((each) => (
            <li key={each.id}>
              <Link to={to('promises', { promise: each.id })}>
                <Mono>{each.id}</Mono>
              </Link>{' '}
              {each.text}
              {each.why && <span className={`block ${colour}`}>{each.why}</span>}
            </li>
          ))}
        </ul>
      </>
    )
  return (
    <Panel title="Promises">
      {listed('Newly broken', broken, 'text-stop')}
      {listed('Mended', mended, 'text-go')}
      <p className="text-soft">
        {broken.length + mended.length > 0 ? 'The others stand' : `All ${others} stand`} as they did
        {broken.length + mended.length > 0 && `, ${counted(others, 'promise')}`}; {now.answer.asked} of{' '}
        {now.answer.promises.length} rest on something that moved and were asked again.
      </p>
    </Panel>
  )
}
