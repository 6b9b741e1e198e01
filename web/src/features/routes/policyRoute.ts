/** The fields of a route to try, by the words of the device files. */
export const FIELDS: {
  key: string
  example: string
  options?: string[]
  number?: boolean
  list?: boolean
}[] = [
  { key: 'prefix', example: '198.51.100.0/24' },
  { key: 'as-path', example: '64510 64496' },
  { key: 'communities', example: '64510:20, no-export', list: true },
  { key: 'neighbour', example: '203.0.113.1' },
  { key: 'local-preference', example: '100', number: true },
  { key: 'med', example: 'none', number: true },
  { key: 'origin', example: 'igp', options: ['', 'egp', 'incomplete'] },
  { key: 'next-hop', example: '203.0.113.1' },
  {
    key: 'protocol',
    example: 'bgp',
    options: ['', 'connected', 'static', 'ospf', 'ospfv3', 'isis', 'eigrp', 'rip', 'ripng'],
  },
  { key: 'metric', example: '0', number: true },
  { key: 'tag', example: '0', number: true },
  { key: 'weight', example: '0', number: true },
]

export type RouteText = Record<string, string>

/** The route as the engine reads it; null while it has no prefix. What is no number stays text, to be refused in words. */
export function routeFrom(text: RouteText): Record<string, unknown> | null {
  if (!text['prefix']?.trim()) return null
  const route: Record<string, unknown> = {}
  for (const { key, number, list } of FIELDS) {
    const value = (text[key] ?? '').trim()
    if (!value) continue
    if (number) route[key] = /^\d+$/.test(value) ? Number(value) : value
    else if (list)
      route[key] = value
        .split(',')
        .map((part) => part.trim())
        .filter(Boolean)
    else route[key] = value
  }
  return route
}
