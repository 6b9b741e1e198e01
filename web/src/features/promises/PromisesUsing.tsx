import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { ApiError } from '../../api/client'
import { impactQuery } from '../../api/queries'
import { Mono, Problem, Waiting } from '../../ui/controls'
import { useLens, useLinkTo } from '../lens/lens'

/** The promises whose packets meet a thing; asked when somebody wants to know. */
export function PromisesUsing({ used }: { used: Record<string, string | number> }) {
  const [asked, setAsked] = useState(false)
  const to = useLinkTo()
  const found = useQuery({ ...impactQuery(useLens(), used), enabled: asked })
  if (!asked)
    return (
      <p className="mt-2">
        <button type="button" className="text-link underline" onClick={() => setAsked(true)}>
          Which promises use it
        </button>
      </p>
    )
  if (found.error instanceof ApiError && found.error.code === 'unknown_name')
    return <p className="my-2 text-soft">Nothing that promises could use: {found.error.message}.</p>
  if (found.isError) return <Problem error={found.error} />
  if (found.isPending) return <Waiting what="Looking what promises rest on" />
  return (
    <section className="my-2">
      <h3 className="font-semibold">{found.data.sentence}</h3>
      <ul>
        {found.data.promises.map((each) => (
          <li key={each.id}>
            <span aria-hidden className={each.kept ? 'text-go' : 'text-stop'}>
              {each.kept ? '✓' : '✗'}
            </span>{' '}
            <Link to={to('promises', { promise: each.id })}>
              <Mono>{each.id}</Mono>
            </Link>{' '}
            {each.text}
          </li>
        ))}
      </ul>
    </section>
  )
}
