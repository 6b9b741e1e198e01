import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { sessionsQuery } from '../../api/queries'
import type { BgpSession } from '../../api/types'
import { Mono, Panel, Problem, Waiting } from '../../ui/controls'
import { DataTable, type Column } from '../../ui/DataTable'
import { EvidenceLink } from '../lens/EvidenceLink'
import { FailButton } from '../lens/FailButton'
import { useLens, useLinkTo, usePlace } from '../lens/lens'
import { PageHead } from '../lens/PageHead'
import { useAddress } from '../../ui/address'
import { BouncePanel } from './BouncePanel'
import { RouteTabs } from './RouteTabs'
import { Named } from '../lens/Named'
import { relationWords } from '../../wording'

/** Every BGP neighbour: is its session up, and if not, why? */
export function SessionsPage() {
  const { network } = usePlace()
  if (!network.newest_revision) return <p className="p-4">Nothing is imported yet.</p>
  return (
    <div className="flex h-full min-h-0 flex-col gap-3 max-md:min-h-[36rem]">
      <PageHead title="BGP sessions" />
      <RouteTabs />
      <Answer />
    </div>
  )
}

function Answer() {
  const sessions = useQuery(sessionsQuery(useLens()))
  const to = useLinkTo()
  const [params, change] = useAddress()
  const { fail: failed = [] } = useLens()
  const [device, vrf, neighbour] = params.get('bounce')?.split(' ') ?? []
  if (sessions.isError) return <Problem error={sessions.error} />
  if (sessions.isPending) return <Waiting what="Looking at every session" />
  const columns: Column<BgpSession>[] = [
    { title: 'state', text: (s) => s.state, show: (s) => <State session={s} />, width: '9.5rem' },
    {
      title: 'device',
      text: (s) => s.device,
      show: (s) => (
        <Link to={to('devices/chart', { device: s.device })} className="font-semibold">
          {s.device}
        </Link>
      ),
      width: '8rem',
    },
    {
      title: 'neighbour',
      text: (s) => `${s.remote ?? ''} ${s.neighbour}`,
      show: (s) => (
        <>
          {s.remote ?? 'not in the model'}
          <Mono className="block text-soft">
            <Named text={s.neighbour} />
          </Mono>
        </>
      ),
      width: '11rem',
    },
    {
      title: 'AS',
      text: (s) => s.remote_as ?? '',
      show: (s) => <Mono>{s.remote_as ?? '–'}</Mono>,
      width: '5rem',
    },
    { title: 'relation', text: (s) => relationWords(s), width: '7.5rem' },
    {
      title: 'accepted',
      text: (s) => s.taken ?? '',
      show: (s) => <Mono>{s.taken ?? '–'}</Mono>,
      width: '5.5rem',
    },
    {
      title: 'advertised',
      text: (s) => s.sent ?? '',
      show: (s) => <Mono>{s.sent ?? '–'}</Mono>,
      width: '6.5rem',
    },
    {
      title: 'what if',
      text: () => '',
      show: (s) =>
        (s.state === 'up' || failed.includes(`session:${s.device}:${s.neighbour}`)) && (
          <span className="flex flex-wrap gap-x-2 gap-y-1">
            {s.state === 'up' && (
              <button
                type="button"
                className="underline"
                aria-label={`it bounces? The session of ${s.device} with ${s.remote}`}
                onClick={() => change({ bounce: [s.device, s.vrf, s.neighbour].join(' ') })}
              >
                it bounces?
              </button>
            )}
            <FailButton name={`session:${s.device}:${s.neighbour}`} what="it" />
          </span>
        ),
      width: '6rem',
    },
    {
      title: 'why, and where it is written',
      text: (s) => s.reason ?? s.description,
      show: (s) => (
        <>
          {s.reason ?? <span className="text-soft">{s.description}</span>}{' '}
          <EvidenceLink file={s.file} line={s.line} />
        </>
      ),
      width: 'minmax(14rem,1fr)',
    },
  ]
  // What is down comes first: that is what one looks for.
  const rows = [...sessions.data.sessions].sort((a, b) => Number(a.state === 'up') - Number(b.state === 'up'))
  return (
    <>
      <p
        role="status"
        aria-label="Sessions"
        className={`rounded-card border border-l-8 bg-card px-3 py-2 text-[1.05rem] ${rows.some((each) => each.state !== 'up') ? 'border-stop' : 'border-line'}`}
      >
        {sessions.data.sentence}
      </p>
      {device && vrf && neighbour && (
        <BouncePanel
          device={device}
          vrf={vrf}
          neighbour={neighbour}
          onClose={() => change({ bounce: null })}
        />
      )}
      <Panel className="min-h-0 flex-1">
        <DataTable
          rows={rows}
          columns={columns}
          what="neighbours"
          empty="No device of this network has a BGP neighbour."
        />
      </Panel>
      <p className="text-sm text-soft">
        “Accepted” and “advertised” count prefixes. A session is up when both sides expect each other and
        packets to TCP port 179 arrive both ways.
      </p>
    </>
  )
}

function State({ session }: { session: BgpSession }) {
  const up = session.state === 'up'
  return (
    <span className={`font-semibold ${up ? 'text-go' : 'text-stop'}`}>
      {up ? '✓' : '✗'} {session.state.replaceAll('_', ' ')}
    </span>
  )
}
