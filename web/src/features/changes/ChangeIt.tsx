import { useNavigate } from 'react-router'
import { Problem } from '../../ui/controls'
import { useLinkTo, usePlace } from '../lens/lens'
import { addingParams, type Adding } from './useAdding'
import { useNewChange } from './useNewChange'

type ChangeItProps = {
  /** Where the edit is to be made. */
  adding: Adding
  /** What it is about, for a change that is new. */
  about: string
  label: string
  className?: string
}

/**
 * Leads from what is seen to the form or the line where it is said: in the change that is looked
 * through, if any, else in a new one. Viewers are led nowhere.
 */
export function ChangeIt({ adding, about, label, className = '' }: ChangeItProps) {
  const { network, lens } = usePlace()
  const to = useLinkTo()
  const navigate = useNavigate()
  const open = (name: string) => {
    const address = to(`changes/${encodeURIComponent(name)}`, {}, { change: [name] })
    void navigate(`${address}&${new URLSearchParams(addingParams(adding))}`)
  }
  const begin = useNewChange(open)
  if (network.role === 'viewer' || lens.revision === undefined) return null
  if (begin.isError) return <Problem error={begin.error} />
  const name = lens.change?.at(-1)
  return (
    <button
      type="button"
      aria-label={`${label}: ${about}`}
      title={name ? `In the change ${name}` : 'In a new change'}
      className={`text-link hover:underline ${className}`}
      disabled={begin.isPending}
      onClick={() => (name ? open(name) : begin.mutate({ purpose: `Edit of ${about}` }))}
    >
      {label}
    </button>
  )
}
