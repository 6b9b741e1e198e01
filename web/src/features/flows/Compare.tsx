import { useQuery } from '@tanstack/react-query'
import { useMemo, useState, type FormEvent } from 'react'
import { compareQuery, type FlowQuestion, type OtherFlow } from '../../api/queries'
import type { Flow } from '../../api/types'
import { Button, Panel, Problem, Waiting } from '../../ui/controls'
import { useLens } from '../lens/lens'
import { useAddress } from '../../ui/address'
import { EndpointField } from './EndpointField'
import { otherIn } from './question'
import { layoutStrip } from './strip/layout'
import { StripView } from './strip/StripView'
import { useFolds } from './strip/useFolds'
import { Input } from '../../ui/fields'

/** A second flow, perhaps one that works, on one strip with the first. */
export function Compare({ question, flow }: { question: FlowQuestion; flow: Flow }) {
  const [params, change] = useAddress()
  const other = otherIn(params, question)
  return (
    <Panel
      title="Compare with another flow"
      aside={
        other && (
          <button
            type="button"
            className="text-soft hover:underline"
            onClick={() => change({ other_from: null, other_to: null, other_as: null })}
          >
            stop comparing
          </button>
        )
      }
    >
      <OtherBar
        key={`${other?.other_from} ${other?.other_to}`}
        question={question}
        other={other}
        onAsk={(next) => change(next)}
      />
      {other && <Answer question={question} other={other} flow={flow} />}
    </Panel>
  )
}

function OtherBar({
  question,
  other,
  onAsk,
}: {
  question: FlowQuestion
  other: OtherFlow | null
  onAsk: (other: OtherFlow) => void
}) {
  const [from, setFrom] = useState(other?.other_from ?? question.from)
  const [to, setTo] = useState(other?.other_to ?? question.to)
  const [as, setAs] = useState(other?.other_as ?? question.as)
  const submit = (event: FormEvent) => {
    event.preventDefault()
    onAsk({ other_from: from.trim(), other_to: to.trim(), other_as: as.trim() })
  }
  return (
    <form onSubmit={submit} aria-label="The other flow" className="flex flex-wrap items-center gap-2">
      <EndpointField label="other from" value={from} onChange={setFrom} />
      <EndpointField label="other to" value={to} onChange={setTo} />
      <label className="flex items-center gap-2 text-soft">
        traffic{' '}
        <Input
          value={as}
          onChange={(event) => setAs(event.target.value)}
          placeholder="ping"
          aria-label="other traffic"
          mono
          className="w-32"
        />
      </label>
      <Button type="submit" disabled={!from.trim() || !to.trim()}>
        Compare
      </Button>
    </form>
  )
}

function Answer({ question, other, flow }: { question: FlowQuestion; other: OtherFlow; flow: Flow }) {
  const lens = useLens()
  const compared = useQuery(compareQuery(lens, question, other))
  // One strip: this flow above the middle, the other below it.
  const both = useMemo(
    () => (compared.data ? { forward: flow.forward, return: compared.data.other.forward } : null),
    [flow, compared.data],
  )
  const { open, turn } = useFolds('other_unfold')
  const strip = useMemo(() => (both ? layoutStrip(both, open, true) : null), [both, open])
  if (compared.isError)
    return (
      <div className="mt-2">
        <Problem error={compared.error} />
      </div>
    )
  if (!both || !strip) return <Waiting what="Following the other flow" />
  return (
    <div className="mt-2">
      <p
        role="status"
        aria-label="First difference"
        className="mb-2 rounded-card border border-line bg-paper px-2 py-1"
      >
        <strong>First difference:</strong> {compared.data?.sentence}
      </p>
      <StripView
        flow={both}
        strip={strip}
        selected={null}
        onSelect={() => undefined}
        open={open}
        onFold={turn}
        titles={['this flow', `${other.other_from} → ${other.other_to}`]}
      />
    </div>
  )
}
