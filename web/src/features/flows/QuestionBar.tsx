import { useState, type FormEvent } from 'react'
import type { FlowQuestion } from '../../api/queries'
import { Button } from '../../ui/controls'
import { EndpointField } from './EndpointField'
import { Input, NumberInput } from '../../ui/fields'

const TRAFFIC = ['tcp 443', 'tcp 22', 'tcp 5432', 'udp 53', 'udp 123', 'icmp']

/** A question as its fields hold it: all text, so that what is half typed is kept too. */
type Fields = { from: string; to: string; as: string; size: string; port: string; dscp: string; cut: boolean }

function fieldsOf(question: FlowQuestion | null): Fields {
  const text = (value: number | undefined) => (value === undefined ? '' : String(value))
  return {
    from: question?.from ?? '',
    to: question?.to ?? '',
    as: question?.as ?? '',
    size: text(question?.size),
    port: text(question?.source_port),
    dscp: text(question?.dscp || undefined),
    cut: question?.may_fragment ?? false,
  }
}

/** What numbers a field takes, and what to say of any other. */
const LIMITS = {
  size: { least: 20, most: 65535, said: 'Size must be 20 to 65,535 bytes.' },
  port: { least: 0, most: 65535, said: 'Source port must be 0 to 65,535.' },
  dscp: { least: 0, most: 63, said: 'Code point must be 0 to 63.' },
} as const

/** What is wrong with the numbers, in words. */
function refusals(fields: Fields): string[] {
  return Object.entries(LIMITS).flatMap(([name, { least, most, said }]) => {
    const text = fields[name as keyof typeof LIMITS].trim()
    const number = /^\d+$/.test(text) ? Number(text) : NaN
    return text === '' || (number >= least && number <= most) ? [] : [said]
  })
}

type QuestionBarProps = { question: FlowQuestion | null; onAsk: (question: FlowQuestion) => void }

/** The question as a sentence: from, to, as. Another question of the page takes the fields' place. */
export function QuestionBar({ question, onAsk }: QuestionBarProps) {
  const [fields, setFields] = useState(() => fieldsOf(question))
  const [seen, setSeen] = useState(() => JSON.stringify(question))
  const [refused, setRefused] = useState<string[]>([])
  const [more, setMore] = useState(Boolean(fields.port || fields.dscp || fields.cut))
  if (seen !== JSON.stringify(question)) {
    setSeen(JSON.stringify(question))
    setFields(fieldsOf(question))
    setRefused([])
  }
  const set = (changes: Partial<Fields>) => setFields((before) => ({ ...before, ...changes }))
  const number = (text: string) => (text.trim() ? Number(text) : undefined)
  const submit = (event: FormEvent) => {
    event.preventDefault()
    const wrong = refusals(fields)
    setRefused(wrong)
    if (wrong.length > 0 || !fields.from.trim() || !fields.to.trim()) return
    onAsk({
      from: fields.from.trim(),
      to: fields.to.trim(),
      as: fields.as.trim(),
      size: number(fields.size),
      source_port: number(fields.port),
      dscp: number(fields.dscp),
      may_fragment: fields.cut || undefined,
    })
  }
  return (
    <form
      onSubmit={submit}
      noValidate
      role="search"
      aria-label="Ask a flow"
      className="flex flex-wrap items-center gap-2 rounded-card border border-line bg-card p-2.5"
    >
      <EndpointField label="from" value={fields.from} onChange={(from) => set({ from })} />
      <button
        type="button"
        onClick={() => set({ from: fields.to, to: fields.from })}
        title="Swap source and destination"
        aria-label="Swap source and destination"
        className="rounded px-1 text-soft hover:bg-sunk"
      >
        ⇄
      </button>
      <EndpointField label="to" value={fields.to} onChange={(to) => set({ to })} />
      <label className="flex items-center gap-2 text-soft">
        traffic
        <Input
          list="traffic-words"
          value={fields.as}
          onChange={(event) => set({ as: event.target.value })}
          placeholder="ping"
          aria-label="traffic"
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
          value={fields.size}
          onChange={(size) => set({ size })}
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
      <Button type="submit" tone="main" className="px-5" disabled={!fields.from.trim() || !fields.to.trim()}>
        Ask
      </Button>
      {refused.length > 0 && (
        <p role="alert" className="w-full text-stop">
          {refused.join(' ')}
        </p>
      )}
      {more && (
        <div className="flex w-full flex-wrap items-center gap-4 border-t border-line pt-2 text-soft">
          <label className="flex items-center gap-2">
            source port{' '}
            <NumberInput value={fields.port} onChange={(port) => set({ port })} placeholder="49152" />
          </label>
          <label className="flex items-center gap-2">
            code point (DSCP){' '}
            <NumberInput value={fields.dscp} onChange={(dscp) => set({ dscp })} placeholder="0" />
          </label>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={fields.cut}
              onChange={(event) => set({ cut: event.target.checked })}
            />{' '}
            fragmentation allowed (IPv4)
          </label>
        </div>
      )}
    </form>
  )
}
