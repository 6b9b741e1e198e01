import { useState, type FormEvent } from 'react'
import type { FlowQuestion } from '../../api/queries'
import { Button } from '../../ui/controls'
import { EndpointField } from './EndpointField'
import { Input, NumberInput } from '../../ui/fields'

const TRAFFIC = ['tcp 443', 'tcp 22', 'tcp 5432', 'udp 53', 'udp 123', 'icmp']

/** The question as a sentence: from, to, as. The page gives it a new key for each new question. */
export function QuestionBar({
  question,
  onAsk,
}: {
  question: FlowQuestion | null
  onAsk: (question: FlowQuestion) => void
}) {
  const [from, setFrom] = useState(question?.from ?? '')
  const [to, setTo] = useState(question?.to ?? '')
  const [as, setAs] = useState(question?.as ?? '')
  const [size, setSize] = useState(question?.size ? String(question.size) : '')
  const [port, setPort] = useState(question?.source_port !== undefined ? String(question.source_port) : '')
  const [dscp, setDscp] = useState(question?.dscp ? String(question.dscp) : '')
  const [cut, setCut] = useState(question?.may_fragment ?? false)
  const [more, setMore] = useState(Boolean(port || dscp || cut))
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (from.trim() && to.trim()) {
      onAsk({
        from: from.trim(),
        to: to.trim(),
        as: as.trim(),
        size: size ? Number(size) : undefined,
        source_port: port ? Number(port) : undefined,
        dscp: dscp ? Number(dscp) : undefined,
        may_fragment: cut || undefined,
      })
    }
  }
  const swap = () => {
    setFrom(to)
    setTo(from)
  }
  return (
    <form
      onSubmit={submit}
      role="search"
      aria-label="Ask a flow"
      className="flex flex-wrap items-center gap-2 rounded-card border border-line bg-card p-2.5"
    >
      <EndpointField label="from" value={from} onChange={setFrom} />
      <button
        type="button"
        onClick={swap}
        title="Swap source and destination"
        aria-label="Swap source and destination"
        className="rounded px-1 text-soft hover:bg-sunk"
      >
        ⇄
      </button>
      <EndpointField label="to" value={to} onChange={setTo} />
      <label className="flex items-center gap-2 text-soft">
        as
        <Input
          list="traffic-words"
          value={as}
          onChange={(event) => setAs(event.target.value)}
          placeholder="echo request"
          aria-label="as"
          mono
          className="w-32"
        />
        <datalist id="traffic-words">
          {TRAFFIC.map((each) => (
            <option key={each} value={each} />
          ))}
        </datalist>
      </label>
      <label className="flex items-center gap-2 text-soft">
        size
        <NumberInput
          least={20}
          most={65535}
          value={size}
          onChange={setSize}
          placeholder="any"
          aria-label="size in bytes"
        />
        bytes
      </label>
      <button
        type="button"
        aria-expanded={more}
        onClick={() => setMore(!more)}
        className="text-soft underline hover:text-ink"
      >
        {more ? 'less' : 'more'}
      </button>
      <div className="flex-1" />
      <Button type="submit" tone="main" className="px-5" disabled={!from.trim() || !to.trim()}>
        Ask
      </Button>
      {more && (
        <div className="flex w-full flex-wrap items-center gap-4 border-t border-line pt-2 text-soft">
          <label className="flex items-center gap-2">
            source port{' '}
            <NumberInput least={0} most={65535} value={port} onChange={setPort} placeholder="49152" />
          </label>
          <label className="flex items-center gap-2">
            code point (DSCP){' '}
            <NumberInput least={0} most={63} value={dscp} onChange={setDscp} placeholder="0" />
          </label>
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={cut} onChange={(event) => setCut(event.target.checked)} /> routers
            may cut it into fragments (IPv4)
          </label>
        </div>
      )}
    </form>
  )
}
