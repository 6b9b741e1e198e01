import { aHop } from '../flows/flows.testing'
import type { Chart, ChartDevice, ChartEnd, ChartSegment } from '../../api/types'

const NOWHERE = { file: null, line: null, column: null }

export const chartDevice = (name: string, more: Partial<ChartDevice> = {}): ChartDevice => ({
  name,
  role: 'router',
  site: null,
  description: '',
  addresses: [],
  interfaces: 1,
  stateful: false,
  errors: 0,
  warnings: 0,
  ...NOWHERE,
  ...more,
})

export const chartEnd = (device: string, more: Partial<ChartEnd> = {}): ChartEnd => ({
  device,
  interface: 'port1',
  addresses: [],
  up: true,
  costs: [],
  mtu: 1500,
  bandwidth_bps: null,
  vrf: 'default',
  filters_in: [],
  filters_out: [],
  ...NOWHERE,
  ...more,
})

export const chartSegment = (
  id: number,
  ends: (string | ChartEnd)[],
  more: Partial<ChartSegment> = {},
): ChartSegment => ({
  id,
  name: `10.0.${id}.0/24`,
  stated: false,
  risk_groups: [],
  outside: [],
  ends: ends.map((end) => (typeof end === 'string' ? chartEnd(end, { interface: `port${id}` }) : end)),
  ...more,
})

export const chartSite = (name: string, position: number[] | null = null) => ({
  name,
  title: name.toUpperCase(),
  description: '',
  position,
})

/** Numbers that look random and are the same each time (a linear congruential generator). */
export function numbers(seed: number): (below: number) => number {
  let state = seed >>> 0
  return (below) => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0
    return Math.floor((state / 2 ** 32) * below)
  }
}

/** A network of some devices in some sites: linked near each other, with hosts, LANs, parallel links and an outside. */
export function randomChart(seed: number, size: number, sites: number, links: number): Chart {
  const next = numbers(seed)
  const names = Array.from({ length: size }, (_, at) =>
    next(9) ? `r${at}` : `router-of-the-${'very-'.repeat(next(4))}long-name-${at}`,
  )
  const siteOf = names.map((_, at) => (sites ? Math.floor((at * sites) / size) : -1))
  const devices = names.map((name, at) =>
    chartDevice(name, {
      site: sites ? `s${siteOf[at]}` : null,
      role: next(5) ? 'router' : next(2) ? 'firewall' : 'host',
    }),
  )
  const at = (place: number) => names[place] ?? 'r0'
  const segments = Array.from({ length: links }, (_, id) => {
    const one = next(size)
    const near = next(4) > 0
    const other = near ? Math.min(size - 1, Math.max(0, one + next(9) - 4)) : next(size)
    const ends = next(12) ? [at(one), at(other)] : [at(one), at(other), at(next(size)), at(next(size))]
    return chartSegment(id, ends, next(10) ? {} : { outside: [{ name: 'isle', address: '192.0.2.1' }] })
  })
  return {
    sites: Array.from({ length: sites }, (_, place) => chartSite(`s${place}`)),
    devices,
    segments,
    outside: [{ name: 'isle', title: 'Isle', description: '', prefixes: [] }],
  }
}

export const flowHop = (device: string, into: string | null, out: string | null) =>
  aHop(device, { in: into, out })
