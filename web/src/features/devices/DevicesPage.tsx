import { useQuery } from '@tanstack/react-query'
import { Suspense } from 'react'
import { Link, useParams } from 'react-router'
import { chartQuery } from '../../api/queries'
import type { ChartDevice } from '../../api/types'
import { Mono, Panel, Problem, Waiting } from '../../ui/controls'
import { sortedByName } from '../../ui/natural'
import { DataTable, type Column } from '../../ui/DataTable'
import { EvidenceLink } from '../lens/EvidenceLink'
import { PageTabs } from '../lens/PageTabs'
import { useLens, useLinkTo, usePlace } from '../lens/lens'
import { PageHead } from '../lens/PageHead'
import { useAddress } from '../../ui/address'
import { ChartPage } from '../../pages'
import { FilesView } from './FilesView'
import { FindingsView } from '../findings/FindingsView'
import { useCauses } from '../findings/useCauses'

const VIEWS = { 'devices/chart': 'Chart', 'devices/list': 'List', 'devices/files': 'Files' }

export function DevicesPage() {
  const { view = 'chart' } = useParams()
  const { network } = usePlace()
  const [params] = useAddress()
  if (!network.newest_revision) return <p className="p-4">Nothing is imported yet.</p>
  return (
    <div className="flex h-full min-h-0 flex-col gap-3 max-md:h-[44rem]">
      <PageHead title={titleOf(view, params)} />
      <Tabs />
      <div className="min-h-0 flex-1">
        {view === 'list' ? (
          <ListView />
        ) : view === 'files' ? (
          <FilesView />
        ) : view === 'findings' ? (
          <FindingsView />
        ) : (
          <Suspense fallback={<Waiting what="Loading the chart" />}>
            <ChartPage />
          </Suspense>
        )}
      </div>
    </div>
  )
}

function titleOf(view: string, params: URLSearchParams): string {
  const [device, file, line] = ['device', 'file', 'line'].map((key) => params.get(key))
  if (view === 'list') return 'Devices'
  if (view === 'findings') return 'Findings'
  if (view === 'files') return file ? `${file}${line ? `:${line}` : ''}` : 'Files'
  return device ? `${device} on the chart` : 'Chart'
}

function Tabs() {
  const { causes } = useCauses()
  const count = causes ? ` ${causes.filter((cause) => cause.muted === null).length}` : ''
  return <PageTabs label="Views of the devices" tabs={{ ...VIEWS, 'devices/findings': `Findings${count}` }} />
}

function ListView() {
  const chart = useQuery(chartQuery(useLens()))
  const to = useLinkTo()
  if (chart.isPending) return <Waiting what="Reading the network" />
  if (chart.isError) return <Problem error={chart.error} />
  const rows = sortedByName(chart.data.devices, (device) => device.name)
  const titles = new Map(chart.data.sites.map((site) => [site.name, site.title]))
  const columns: Column<ChartDevice>[] = [
    {
      title: 'device',
      text: (d) => d.name,
      show: (d) => (
        <Link to={to('devices/chart', { device: d.name })} className="font-semibold">
          {d.name}
        </Link>
      ),
      width: '10rem',
    },
    { title: 'role', text: (d) => d.role, width: '6rem' },
    { title: 'site', text: (d) => titles.get(d.site ?? '') ?? d.site ?? '', width: '9rem' },
    { title: 'what it is', text: (d) => d.description, width: 'minmax(10rem,3fr)' },
    {
      title: 'addresses',
      text: (d) => d.addresses.join(', '),
      show: (d) => (
        <Mono>
          {d.addresses[0]}
          {d.addresses.length > 1 && (
            <span className="text-soft" title={d.addresses.join(', ')}>
              {' '}
              and {d.addresses.length - 1} more
            </span>
          )}
        </Mono>
      ),
      width: '14rem',
    },
    { title: 'interfaces', text: (d) => d.interfaces, width: '6rem' },
    { title: 'findings', text: (d) => d.errors + d.warnings, width: '6rem' },
    {
      title: 'file',
      text: (d) => d.file ?? '',
      show: (d) => <EvidenceLink file={d.file} line={d.line} />,
      width: '11rem',
    },
  ]
  return (
    <Panel className="h-full">
      <DataTable rows={rows} columns={columns} what="devices" empty="The network has no devices." />
    </Panel>
  )
}
