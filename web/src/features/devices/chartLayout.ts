import type { ELK, ElkExtendedEdge, ElkNode } from 'elkjs/lib/elk-api'
import type { Chart, ChartSegment } from '../../api/types'

export type Box = { id: string; x: number; y: number; width: number; height: number }
/** `between` names the devices at the line's two ends, first and last point. */
export type ChartLine = {
  id: string
  segment: ChartSegment
  between: [string, string]
  points: { x: number; y: number }[]
}
export type ChartLayout = { width: number; height: number; sites: Box[]; tiles: Box[]; lines: ChartLine[] }

const TILE = { width: 108, height: 28 }
export const OUTSIDE = 'outside neighbours'
const NOWHERE = 'no site'

/** What a chart shows: hosts can be left out, since they hang on a router anyway. */
export function chartParts(chart: Chart, hosts: boolean) {
  const devices = chart.devices.filter((device) => hosts || device.role !== 'host')
  const shown = new Set(devices.map((device) => device.name))
  const segments = chart.segments
    .map((segment) => ({ ...segment, ends: segment.ends.filter((end) => shown.has(end.device)) }))
    .filter((segment) => new Set(segment.ends.map((end) => end.device)).size + segment.outside.length > 1)
  return { devices, segments }
}

/**
 * The graph for the layout engine: sites hold their devices; a segment of more than two ends
 * gets a line from its first end to each other one. Lines that carry labels need more room.
 */
export function chartGraph(
  chart: Chart,
  hosts: boolean,
  labelled = false,
): { graph: ElkNode; ends: Map<string, ChartSegment> } {
  const { devices, segments } = chartParts(chart, hosts)
  const bySite = new Map<string, ElkNode[]>(chart.sites.map((site) => [site.name, []]))
  for (const device of devices) {
    const site = device.site ?? NOWHERE
    bySite.set(site, [...(bySite.get(site) ?? []), { id: `device ${device.name}`, ...TILE }])
  }
  if (chart.outside.length) {
    bySite.set(
      OUTSIDE,
      chart.outside.map((outside) => ({ id: `outside ${outside.name}`, ...TILE })),
    )
  }
  const edges: ElkExtendedEdge[] = []
  const ends = new Map<string, ChartSegment>()
  for (const segment of segments) {
    const ids = [
      ...segment.ends.map((end) => `device ${end.device}`),
      ...segment.outside.map((end) => `outside ${end.name}`),
    ]
    const first = ids[0]
    ids.slice(1).forEach((other, index) => {
      if (first === undefined || other === first) return
      const id = `segment ${segment.id} ${index}`
      edges.push({ id, sources: [first], targets: [other] })
      ends.set(id, segment)
    })
  }
  const graph: ElkNode = {
    id: 'chart',
    layoutOptions: {
      'elk.algorithm': 'layered',
      'elk.direction': 'DOWN',
      'elk.hierarchyHandling': 'INCLUDE_CHILDREN',
      'elk.edgeRouting': 'ORTHOGONAL',
      'elk.layered.spacing.nodeNodeBetweenLayers': labelled ? '64' : '22',
      'elk.spacing.nodeNode': '12',
      'elk.layered.spacing.edgeNodeBetweenLayers': '9',
      'elk.spacing.edgeNode': '9',
      'elk.spacing.edgeEdge': '6',
      'elk.layered.spacing.edgeEdgeBetweenLayers': '6',
      'elk.layered.considerModelOrder.strategy': 'NODES_AND_EDGES',
      'elk.json.edgeCoords': 'ROOT',
      'elk.padding': '[top=8,left=8,bottom=8,right=8]',
    },
    children: [...bySite]
      .filter(([, children]) => children.length)
      .map(([site, children]) => ({
        id: `site ${site}`,
        children,
        layoutOptions: {
          'elk.padding': `[top=${labelled ? 48 : 30},left=10,bottom=10,right=10]`,
          'elk.direction': 'DOWN',
          'elk.layered.spacing.nodeNodeBetweenLayers': labelled ? '46' : '22',
        },
      })),
    edges,
  }
  return { graph, ends }
}

/** The device or neighbour a node stands for. */
const named = (id: string | undefined) => (id ?? '').replace(/^\S+ /, '')

/** Run the layout and read positions back as absolute boxes and polylines. */
export async function layoutChart(
  elk: Pick<ELK, 'layout'>,
  chart: Chart,
  hosts: boolean,
  labelled = false,
): Promise<ChartLayout> {
  const { graph, ends } = chartGraph(chart, hosts, labelled)
  const placed = await elk.layout(graph)
  const sites: Box[] = []
  const tiles: Box[] = []
  const box = (node: ElkNode, dx: number, dy: number, id: string): Box => ({
    id,
    x: (node.x ?? 0) + dx,
    y: (node.y ?? 0) + dy,
    width: node.width ?? 0,
    height: node.height ?? 0,
  })
  for (const site of placed.children ?? []) {
    const area = box(site, 0, 0, site.id.replace(/^site /, ''))
    sites.push(area)
    for (const tile of site.children ?? []) tiles.push(box(tile, area.x, area.y, tile.id))
  }
  const lines = (placed.edges ?? []).flatMap((edge) => {
    const segment = ends.get(edge.id)
    const section = edge.sections?.[0]
    if (!segment || !section) return []
    const between: [string, string] = [named(edge.sources[0]), named(edge.targets[0])]
    return [
      {
        id: edge.id,
        segment,
        between,
        points: [section.startPoint, ...(section.bendPoints ?? []), section.endPoint],
      },
    ]
  })
  return { width: placed.width ?? 0, height: placed.height ?? 0, sites, tiles, lines }
}
