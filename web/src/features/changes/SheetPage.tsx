import { useQuery } from '@tanstack/react-query'
import { Link, useParams } from 'react-router'
import { ended, sheetQuery, sheetStart } from '../../api/queries'
import type { Sheet } from '../../api/types'
import { useCancel } from '../../api/useCancel'
import { Button, Mono, Panel, Problem, sentence, Waiting } from '../../ui/controls'
import { downloadText } from '../../ui/download'
import { counted, lensWords } from '../../wording'
import { EditLines } from '../lens/EditLines'
import { EvidenceLink } from '../lens/EvidenceLink'
import { useLens, useLinkTo } from '../lens/lens'
import { Named } from '../lens/Named'
import { PageHead } from '../lens/PageHead'

/** The change sheet: what is done in which order, what moves for it, and how to go back. For paper too. */
export function SheetPage() {
  const { name = '' } = useParams()
  const started = useQuery(sheetStart(useLens(), name))
  if (started.isError) return <Problem error={started.error} />
  if (started.isPending) return <Waiting what="Beginning the sheet" />
  return <Making id={started.data.id} name={name} again={() => void started.refetch()} />
}

const STEPS: Record<string, string> = {
  computing: 'Computing the network before and after',
  comparing: 'Asking every flow that may move',
  ordering: 'Looking for an order of the steps that breaks nothing',
}

function Making({ id, name, again }: { id: number; name: string; again: () => void }) {
  const job = useQuery(sheetQuery(id))
  const cancel = useCancel(id)
  if (job.isError) return <Problem error={job.error} />
  if (!job.data) return <Waiting what="Opening the sheet" />
  const { status, step, done, answer, message } = job.data
  if (!ended(job.data))
    return (
      <p role="status" className="flex items-center justify-between gap-3">
        <span>
          {status === 'queued' ? 'Waiting for its turn' : (STEPS[step] ?? 'Beginning')}
          {done > 0 && `: ${counted(done, 'network')} computed`}…
        </span>
        <Button tone="stop" onClick={() => cancel.mutate()} disabled={cancel.isPending}>
          Cancel
        </Button>
      </p>
    )
  if (!answer)
    return (
      <p className="flex items-center justify-between gap-3">
        <span>{sentence(message)}</span>
        <Button onClick={again}>Make it again</Button>
      </p>
    )
  return <Made sheet={answer.sheet as Sheet} markdown={answer.markdown} name={name} />
}

/** Flows and routes that are listed; of more the rest is counted, and stands on the page What moves. */
const LISTED = 40

function Made({ sheet, markdown, name }: { sheet: Sheet; markdown: string; name: string }) {
  const to = useLinkTo()
  const lens = useLens()
  const { moves } = sheet
  return (
    <article className="mx-auto flex max-w-4xl flex-col gap-3 print:max-w-none">
      <header className="flex flex-wrap items-baseline justify-between gap-3">
        <PageHead title={sheet.name} of="change sheet" shown="text-2xl font-semibold" />
        <span className="flex gap-4 print:hidden">
          <Link to={to(`changes/${encodeURIComponent(name)}`, {}, { change: [name] })}>To the change</Link>
          <button type="button" className="text-link hover:underline" onClick={() => window.print()}>
            Print
          </button>
          <button
            type="button"
            className="text-link hover:underline"
            onClick={() => downloadText(`${name}.md`, markdown)}
          >
            Markdown
          </button>
        </span>
      </header>
      <p>
        {sheet.purpose || 'No purpose is given.'}{' '}
        <span className="text-soft">Made to {lensWords({ ...lens, change: undefined })}.</span>
      </p>
      <Panel title="What moves">
        <p>
          <Named text={sheet.summary} />
        </p>
      </Panel>
      {moves.warnings.length > 0 && (
        <Panel title="Warnings">
          <ul className="flex flex-col gap-2">
            {moves.warnings.map((warning) => (
              <li key={warning.code + warning.text} className="border-l-4 border-warn pl-2">
                <strong className="text-warn">!</strong> <Named text={warning.text} />
                <ul className="ml-4 list-disc text-sm">
                  {warning.evidence.map((one) => (
                    <li key={one.text}>
                      <Named text={one.text} /> <EvidenceLink file={one.file} line={one.line} />
                    </li>
                  ))}
                </ul>
              </li>
            ))}
          </ul>
        </Panel>
      )}
      <Panel title="Steps">
        <p className={sheet.keeps_all ? '' : 'text-warn'}>{sheet.order}</p>
        <Steps steps={sheet.steps} />
      </Panel>
      <Panel title="The way back">
        <Steps steps={sheet.back} />
      </Panel>
      <Listed
        title="Flows that move"
        lines={moves.flows.map(
          (flow) =>
            `${flow.from} → ${flow.to}${flow.as && ` ${flow.as}`}${flow.name && ` (${flow.name})`}: ${flow.text}`,
        )}
      />
      <Listed
        title="Routes that move"
        lines={moves.routes.groups.map((group) => `${group.text}; ${group.reason}`)}
      />
      <Listed
        title="Findings"
        lines={[
          ...moves.findings.new.map((finding) => `new: ${finding.text}`),
          ...moves.findings.gone.map((finding) => `gone: ${finding.text}`),
        ]}
      />
    </article>
  )
}

function Steps({ steps }: { steps: Sheet['steps'] }) {
  return (
    <ol className="mt-2 flex flex-col gap-3">
      {steps.map((step, at) => (
        <li key={step.place} className="break-inside-avoid">
          <strong className="mr-2">{at + 1}</strong>
          <Mono>{step.place}</Mono>
          <EditLines edits={step.lines} />
          {step.breaks.length > 0 && (
            <p role="note" className="text-stop">
              ✗ Until a later step these do not arrive: {step.breaks.join(', ')}.
            </p>
          )}
          {step.problem && (
            <p role="note" className="text-stop">
              ✗ Until a later step nothing can be computed: {step.problem}.
            </p>
          )}
        </li>
      ))}
    </ol>
  )
}

function Listed({ title, lines }: { title: string; lines: string[] }) {
  if (lines.length === 0) return null
  return (
    <Panel title={`${title} (${lines.length})`}>
      <ul className="ml-5 list-disc">
        {lines.slice(0, LISTED).map((line) => (
          <li key={line}>
            <Named text={line} />
          </li>
        ))}
      </ul>
      {lines.length > LISTED && (
        <p className="text-soft">and {lines.length - LISTED} more, on the page What moves</p>
      )}
    </Panel>
  )
}
