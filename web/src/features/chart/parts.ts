import type { Chart, ChartDevice, ChartEnd, ChartSegment } from '../../api/types'

/** Something that has a place on a chart. */
export type ChartNode = {
  /** `device NAME`, `outside NAME`, `site NAME` for one that is folded, or `hub ID` for a segment of more than two ends. */
  id: string
  kind: 'device' | 'outside' | 'hub' | 'site'
  name: string
  group: string
  width: number
  height: number
  device?: ChartDevice
  /** Names of the hosts that are folded into it. */
  hosts: string[]
  segment?: ChartSegment
  /** The devices of a site that is folded. */
  members: ChartDevice[]
}

/** A line between two nodes, with what each end says of it; null where nobody of ours does. */
export type ChartLink = {
  id: string
  segment: ChartSegment
  from: string
  to: string
  ends: [ChartEnd | null, ChartEnd | null]
  /** All segments of a trunk between two places, of which one is folded; empty for a single link. */
  trunk: ChartSegment[]
}

export type ChartParts = {
  nodes: ChartNode[]
  links: ChartLink[]
  groups: Map<string, string>
  /** By device: the node that shows it. */
  shownBy: Map<string, string>
  /** The sites that are folded. */
  shut: Set<string>
}

export const OUTSIDE = 'outside'
export const NO_SITE = 'no site'

const TILE_HEIGHT = 30
const LETTER = 7.9
const MARGIN = 26
const NARROWEST = 84
/** Wider names are cut, and told in full by the tile's title. */
const WIDEST = 210
const HUB = 12

/** Whether a host is shown by itself: it belongs to a device that is unfolded, or to nobody. */
export type Unfolded = 'all' | ReadonlySet<string>

export function tileWidth(name: string, hosts: number): number {
  const letters = name.length + (hosts ? String(hosts).length + 3 : 0)
  return Math.min(WIDEST, Math.max(NARROWEST, Math.ceil(letters * LETTER) + MARGIN))
}

/** By host: the device it hangs on, the first by name where there are several. */
export function keepersOf(chart: Chart): Map<string, string> {
  const hosts = new Set(chart.devices.filter((device) => device.role === 'host').map(({ name }) => name))
  const keepers = new Map<string, string>()
  for (const segment of chart.segments) {
    const names = [...new Set(segment.ends.map((end) => end.device))]
    const keeper = names.filter((name) => !hosts.has(name)).sort()[0]
    if (keeper === undefined) continue
    for (const name of names) {
      const known = keepers.get(name)
      if (hosts.has(name) && (known === undefined || keeper < known)) keepers.set(name, keeper)
    }
  }
  return keepers
}

/** Which sites are folded to one tile each. */
export type Shut = 'all' | ReadonlySet<string>
const NONE: Shut = new Set<string>()

/** What a chart shows: hosts fold into the device they hang on, devices into their site where that is folded. */
export function partsOf(chart: Chart, unfolded: Unfolded, shut: Shut = NONE): ChartParts {
  const keepers = keepersOf(chart)
  const folded = new Map<string, string[]>()
  const shown = new Map<string, ChartNode>()
  for (const device of chart.devices) {
    const keeper = keepers.get(device.name)
    if (keeper !== undefined && unfolded !== 'all' && !unfolded.has(keeper)) {
      folded.set(keeper, [...(folded.get(keeper) ?? []), device.name])
    }
  }
  const hidden = new Set([...folded.values()].flat())
  const groups = new Map<string, string>()
  for (const site of chart.sites) groups.set(site.name, site.title || site.name)
  for (const device of chart.devices) {
    if (hidden.has(device.name)) continue
    const hosts = (folded.get(device.name) ?? []).sort()
    const group = device.site ?? NO_SITE
    if (!groups.has(group)) groups.set(group, group)
    const id = `device ${device.name}`
    const size = { width: tileWidth(device.name, hosts.length), height: TILE_HEIGHT }
    shown.set(id, { id, kind: 'device', name: device.name, group, device, hosts, members: [], ...size })
  }
  for (const outside of chart.outside) {
    const id = `outside ${outside.name}`
    groups.set(OUTSIDE, 'Outside')
    const size = { width: tileWidth(outside.name, 0), height: TILE_HEIGHT }
    shown.set(id, {
      id,
      kind: 'outside',
      name: outside.name,
      group: OUTSIDE,
      hosts: [],
      members: [],
      ...size,
    })
  }
  const links: ChartLink[] = []
  for (const segment of chart.segments) {
    const ends: [string, ChartEnd | null][] = segment.ends
      .map((end): [string, ChartEnd | null] => [`device ${end.device}`, end])
      .concat(segment.outside.map((end) => [`outside ${end.name}`, null]))
      .filter(([id]) => shown.has(id))
    const ids = new Set(ends.map(([id]) => id))
    if (ids.size < 2) continue
    const [first, second] = ends
    if (ends.length === 2 && first && second) {
      const id = `link ${segment.id}`
      links.push({ id, segment, from: first[0], to: second[0], ends: [first[1], second[1]], trunk: [] })
      continue
    }
    const hub = `hub ${segment.id}`
    const group = commonest([...ids].map((id) => shown.get(id)?.group ?? NO_SITE))
    const size = { width: HUB, height: HUB }
    shown.set(hub, {
      id: hub,
      kind: 'hub',
      name: segment.name,
      group,
      hosts: [],
      members: [],
      segment,
      ...size,
    })
    ends.forEach(([id, end], index) => {
      links.push({
        id: `link ${segment.id} ${index}`,
        segment,
        from: id,
        to: hub,
        ends: [end, null],
        trunk: [],
      })
    })
  }
  const used = new Set([...shown.values()].map((node) => node.group))
  const shownBy = new Map<string, string>()
  for (const node of shown.values()) {
    for (const name of [node.device?.name, ...node.hosts]) if (name !== undefined) shownBy.set(name, node.id)
  }
  const parts: ChartParts = {
    nodes: [...shown.values()],
    links,
    groups: new Map([...groups].filter(([name]) => used.has(name))),
    shownBy,
    shut: new Set(),
  }
  return withSitesFolded(parts, chart, shut)
}

/** Each folded site as one tile, and what leads to it as one trunk for each place at the other end. */
function withSitesFolded(parts: ChartParts, chart: Chart, shut: Shut): ChartParts {
  const mayFold = new Set(chart.sites.map((site) => site.name))
  const folded = new Set([...parts.groups.keys()].filter((name) => mayFold.has(name)))
  if (shut !== 'all') for (const name of folded) if (!shut.has(name)) folded.delete(name)
  if (folded.size === 0) return parts
  const nodes: ChartNode[] = []
  const into = new Map<string, string>()
  for (const node of parts.nodes) {
    if (folded.has(node.group)) into.set(node.id, `site ${node.group}`)
    else nodes.push(node)
  }
  for (const name of folded) {
    const members = chart.devices.filter((device) => device.site === name)
    const title = parts.groups.get(name) ?? name
    nodes.push({
      id: `site ${name}`,
      kind: 'site',
      name: title,
      group: name,
      width: tileWidth(title, members.length),
      height: TILE_HEIGHT,
      hosts: [],
      members,
    })
  }
  const links: ChartLink[] = []
  const trunks = new Map<string, ChartLink>()
  for (const link of parts.links) {
    const [from, to] = [into.get(link.from) ?? link.from, into.get(link.to) ?? link.to]
    if (from === to) continue
    if (from === link.from && to === link.to) {
      links.push(link)
      continue
    }
    const ends = [from, to].sort()
    const id = `trunk ${ends.join(' ')}`
    const known = trunks.get(id)
    if (known) {
      if (!known.trunk.includes(link.segment)) known.trunk.push(link.segment)
      continue
    }
    const [first = from, second = to] = ends
    trunks.set(id, {
      id,
      segment: link.segment,
      from: first,
      to: second,
      ends: [null, null],
      trunk: [link.segment],
    })
  }
  const shownBy = new Map([...parts.shownBy].map(([name, id]) => [name, into.get(id) ?? id]))
  return { ...parts, nodes, links: [...links, ...trunks.values()], shownBy, shut: folded }
}

/** The value that stands most often; of several the first by name, but outside networks last. */
function commonest(values: string[]): string {
  const counts = new Map<string, number>()
  for (const value of values) counts.set(value, (counts.get(value) ?? 0) + (value === OUTSIDE ? 0.1 : 1))
  return [...counts].sort(([a, m], [b, n]) => n - m || (a < b ? -1 : 1))[0]?.[0] ?? NO_SITE
}

export const isDown = (segment: ChartSegment) => segment.ends.some((end) => !end.up)

/** How many of a link's segments are down: of a trunk perhaps some. */
export const downOf = ({ segment, trunk }: ChartLink) =>
  (trunk.length ? trunk : [segment]).filter(isDown).length

/** By node: the others it is linked with. */
export function linkedWith(links: ChartLink[]): Map<string, string[]> {
  const found = new Map<string, string[]>()
  for (const { from, to } of links) {
    found.set(from, [...(found.get(from) ?? []), to])
    found.set(to, [...(found.get(to) ?? []), from])
  }
  return found
}
