import { useQuery } from '@tanstack/react-query'
import { useMemo, type ReactNode } from 'react'
import { useParams } from 'react-router'
import { changeQuery, changeSeenQuery, changesQuery } from '../../api/queries'
import type { ChangeSteps, SeenChange } from '../../api/types'
import { useAddress } from '../../ui/address'
import { Panel, Problem, Waiting } from '../../ui/controls'
import { EditLines } from '../lens/EditLines'
import { PlaceContext, usePlace } from '../lens/lens'
import { PageHead } from '../lens/PageHead'
import { saidOf } from '../lens/useChanges'
import { Accept, Accepted } from './Accept'
import { AddEdit } from './AddEdit'
import { ChangeTabs } from './ChangeTabs'
import { ChangeLinks } from './ChangeLinks'
import { Compared } from './Compared'
import { EditList } from './EditList'
import { Purpose } from './Purpose'
import { StepButtons } from './StepButtons'
import { TextEdit } from './TextEdit'
import { useAdding } from './useAdding'
import { useChange } from './useChange'

/** One change: its edits on the left, what they move on the right, and the way to accept them. */
export function ChangePage() {
  const { name = '' } = useParams()
  const { lens } = usePlace()
  const change = useQuery(changeQuery(lens.slug, name))
  const changes = useQuery(changesQuery(lens.slug))
  const said = changes.data && change.data ? saidOf([change.data, ...changes.data], [name]) : undefined
  const seen = useQuery({
    ...changeSeenQuery(lens.slug, lens.revision ?? 0, name, said ?? ''),
    enabled: said !== undefined && lens.revision !== undefined,
    placeholderData: (before) => before,
  })
  if (change.isError) return <Problem error={change.error} />
  if (!change.data || !said || (!seen.data && !seen.isError)) return <Waiting what="Opening the change" />
  if (!seen.data) return <Problem error={seen.error} what="What it stands on does not fit this revision." />
  return (
    <Through name={name} said={said} below={change.data.below}>
      <div className="flex min-h-full flex-col gap-3 lg:h-full">
        <PageHead title={name} of="change" />
        <ChangeTabs />
        <Opened key={name} change={change.data} seen={seen.data} isStale={seen.isPlaceholderData} />
      </div>
    </Through>
  )
}

/** What is below looks through the change, and compares with what it is made to. */
function Through(props: { name: string; said: string; below: string | null; children: ReactNode }) {
  const { name, said, below, children } = props
  const { network, lens } = usePlace()
  const { slug, revision, fail } = lens
  const place = useMemo(
    () => ({
      network,
      lens: { slug, revision, change: [name], said, fail },
      pinned: { revision, change: below ? [below] : undefined, said: below ? said : undefined, fail },
    }),
    [network, slug, revision, name, said, below, fail],
  )
  return <PlaceContext value={place}>{children}</PlaceContext>
}

const VIEWS = { moves: 'What moves', lines: 'Lines' }
type View = keyof typeof VIEWS

function Opened({ change, seen, isStale }: { change: ChangeSteps; seen: SeenChange; isStale: boolean }) {
  const { network, lens, pinned } = usePlace()
  const [params, setParams] = useAddress()
  const [adding, setAdding] = useAdding()
  const edits = seen.edits.map((each) => each.edit)
  const doing = useChange(change, edits)
  const isOpen = change.became === null && network.role !== 'viewer'
  const conflicts = seen.edits.filter((each) => each.conflict).length
  const view: View = params.get('show') === 'lines' ? 'lines' : 'moves'
  const isTyping = isOpen && adding?.kind === 'text'
  const isMade = edits.some((edit) => !edit.off)
  return (
    <div className="grid min-h-0 flex-1 gap-3 lg:grid-cols-[minmax(22rem,27rem)_minmax(0,1fr)]">
      <div className="flex min-h-0 flex-col gap-3 lg:overflow-auto">
        <Panel>
          <Purpose change={change} doing={doing} isOpen={isOpen} />
          {isOpen && <StepButtons change={change} doing={doing} />}
          <EditList seen={seen} doing={doing} isOpen={isOpen} />
        </Panel>
        {isOpen && <AddEdit edits={edits} doing={doing} />}
        {change.became !== null ? (
          <Accepted number={change.became} />
        ) : (
          isOpen && edits.length > 0 && <Accept change={change} conflicts={conflicts} />
        )}
      </div>
      <div className="flex min-h-0 flex-col gap-3 lg:overflow-auto">
        <div role="group" aria-label="What is shown" className="flex flex-wrap items-center gap-2">
          {(Object.keys(VIEWS) as View[]).map((each) => (
            <button
              key={each}
              type="button"
              aria-pressed={!isTyping && view === each}
              onClick={() => {
                setParams({ show: each === 'moves' ? null : each }, { quiet: true })
                if (isTyping) setAdding(null)
              }}
              className={`rounded-md border px-3 py-1 ${!isTyping && view === each ? 'border-ink bg-ink text-paper' : 'border-line bg-card text-ink'}`}
            >
              {VIEWS[each]}
            </button>
          ))}
          <ChangeLinks name={change.name} isMade={isMade} />
        </div>
        {isTyping ? (
          <TextEdit adding={adding} edits={edits} doing={doing} />
        ) : view === 'lines' ? (
          <Panel>
            {seen.lines.length === 0 && <p className="text-soft">No line is another.</p>}
            <EditLines edits={seen.lines} />
          </Panel>
        ) : !isMade ? (
          <p className="p-2 text-soft">
            Nothing is edited yet. Once it is, all that moves for it stands here: flows, routes, sessions,
            findings, and what looks like a mistake.
          </p>
        ) : conflicts > 0 ? (
          <p className="p-2 text-soft">
            {conflicts === 1 ? 'One edit does' : `${conflicts} edits do`} not fit this revision. Decide about{' '}
            {conflicts === 1 ? 'it' : 'them'} first; then what moves stands here.
          </p>
        ) : isStale ? (
          <p role="status" className="p-2 text-soft">
            Making the edits…
          </p>
        ) : (
          <Compared lens={lens} base={pinned ?? {}} />
        )}
      </div>
    </div>
  )
}
