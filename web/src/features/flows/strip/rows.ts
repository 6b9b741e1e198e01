/** Something with a place in one column: a tile, or a line that passes between tiles. */
export type Item = { id: string; height: number; heavy: boolean }

/** Columns of items from left to right, and the lines between items of neighbouring columns. */
export type Layers = { layers: Item[][]; links: [string, string][] }

/** Orders that are tried as beginnings; of very many items fewer. */
const BEGINNINGS = { most: 32, items: 4000 }

/** Orders each column so that lines cross as little as sweeps and swaps can find. Changes `layers`. */
export function untangle({ layers, links }: Layers) {
  const left = new Map<string, string[]>()
  const right = new Map<string, string[]>()
  for (const [a, b] of links) {
    right.set(a, [...(right.get(a) ?? []), b])
    left.set(b, [...(left.get(b) ?? []), a])
  }
  const given = layers.map((layer) => [...layer])
  let best = given
  let fewest = crossings(given, right)
  const keepIfBetter = () => {
    const now = crossings(layers, right)
    if (now < fewest) {
      fewest = now
      best = layers.map((layer) => [...layer])
    }
  }
  const tries = Math.min(BEGINNINGS.most, Math.ceil(BEGINNINGS.items / given.flat().length))
  for (let start = 0; start < tries && fewest > 0; start += 1) {
    walked(given, left, right, start).forEach((layer, at) => layers.splice(at, 1, layer))
    keepIfBetter()
    for (let sweep = 0; sweep < 6 && fewest > 0; sweep += 1) {
      sweepOnce(layers, sweep % 2 === 0, left, right)
      keepIfBetter()
    }
  }
  best.forEach((layer, at) => layers.splice(at, 1, layer))
  const rank = new Map(given.flatMap((layer) => layer.map((item, at) => [item.id, at])))
  swapNeighbours(layers, left, right, rank)
}

/**
 * Columns in the order in which a walk in depth meets their items, so that what hangs together stays
 * together. The number chooses which of several ways the walk takes first, the same each time.
 */
function walked(
  layers: Item[][],
  left: Map<string, string[]>,
  right: Map<string, string[]>,
  number: number,
): Item[][] {
  const key = (text: string) => {
    let sum = number * 2654435761
    for (const letter of text) sum = Math.imul(sum ^ letter.charCodeAt(0), 16777619)
    return sum >>> 0
  }
  const order = (ids: string[]) => (number === 0 ? ids : [...ids].sort((a, b) => key(a) - key(b)))
  const met = new Map<string, number>()
  const walk = (id: string) => {
    if (met.has(id)) return
    met.set(id, met.size)
    for (const next of order(right.get(id) ?? [])) walk(next)
  }
  for (const id of order(layers.flat().map((item) => item.id))) if (!left.has(id)) walk(id)
  return layers.map((layer) => [...layer].sort((a, b) => (met.get(a.id) ?? 0) - (met.get(b.id) ?? 0)))
}

/** Brings what is linked near each other, column by column in one direction, then swaps neighbours. */
function sweepOnce(
  layers: Item[][],
  rightwards: boolean,
  left: Map<string, string[]>,
  right: Map<string, string[]>,
) {
  const order = rightwards ? layers.keys() : [...layers.keys()].reverse()
  for (const at of order) {
    const beside = layers[rightwards ? at - 1 : at + 1]
    const layer = layers[at]
    if (!beside || !layer) continue
    const places = new Map(beside.map((item, place) => [item.id, place]))
    const towards = rightwards ? left : right
    const mean = new Map(layer.map((item, place) => [item.id, meanOf(towards.get(item.id), places) ?? place]))
    layer.sort((a, b) => (mean.get(a.id) ?? 0) - (mean.get(b.id) ?? 0))
  }
  swapNeighbours(layers, left, right)
}

function meanOf(ids: string[] | undefined, places: Map<string, number>): number | null {
  const found = (ids ?? []).map((id) => places.get(id)).filter((place) => place !== undefined)
  return found.length === 0 ? null : found.reduce((a, b) => a + b, 0) / found.length
}

/** Swaps what crosses less the other way round; with a rank also what then stands in its order. */
function swapNeighbours(
  layers: Item[][],
  left: Map<string, string[]>,
  right: Map<string, string[]>,
  rank?: Map<string, number>,
) {
  layers.forEach((layer, at) => {
    const placesOf = (other: Item[] = []) => new Map(other.map((item, index) => [item.id, index]))
    const beside: [Map<string, number>, Map<string, string[]>][] = [
      [placesOf(layers[at - 1]), left],
      [placesOf(layers[at + 1]), right],
    ]
    for (let changed = true, rounds = 0; changed && rounds < layer.length; rounds += 1) {
      changed = false
      for (let place = 0; place + 1 < layer.length; place += 1) {
        const [a, b] = [layer[place], layer[place + 1]]
        if (!a || !b) continue
        let gain = 0
        for (const [places, towards] of beside) {
          gain += crossed(a.id, b.id, towards, places) - crossed(b.id, a.id, towards, places)
        }
        const inOrder = !rank || (rank.get(a.id) ?? 0) <= (rank.get(b.id) ?? 0)
        if (gain > 0 || (gain === 0 && !inOrder)) {
          layer.splice(place, 2, b, a)
          changed = true
        }
      }
    }
  })
}

/** How many lines of two items cross if the first stands above the second. */
function crossed(above: string, below: string, towards: Map<string, string[]>, places: Map<string, number>) {
  let found = 0
  for (const a of towards.get(above) ?? [])
    for (const b of towards.get(below) ?? []) if ((places.get(a) ?? 0) > (places.get(b) ?? 0)) found += 1
  return found
}

/** How many lines between neighbouring columns cross. */
export function crossings(layers: Item[][], right: Map<string, string[]>): number {
  let found = 0
  layers.slice(1).forEach((beside, index) => {
    const places = new Map(beside.map((item, place) => [item.id, place]))
    const layer = layers[index] ?? []
    layer.forEach((a, place) => {
      for (const b of layer.slice(place + 1)) found += crossed(a.id, b.id, right, places)
    })
  })
  return found
}

/** The middle of every item from the top, in order and apart in its column, its lines as level as can be. */
export function levels({ layers, links }: Layers, gap: number): Map<string, number> {
  const beside = new Map<string, string[]>()
  for (const [a, b] of links) {
    beside.set(a, [...(beside.get(a) ?? []), b])
    beside.set(b, [...(beside.get(b) ?? []), a])
  }
  const middles = new Map<string, number>()
  for (const layer of layers) {
    let top = 0
    for (const item of layer) {
      middles.set(item.id, top + item.height / 2)
      top += item.height + gap
    }
  }
  const sweeps = Math.min(400, Math.ceil(40000 / (middles.size + 1)))
  for (let sweep = 0, moved = Infinity; sweep < sweeps && moved > 0.1; sweep += 1) {
    const order = sweep % 2 === 0 ? layers : [...layers].reverse()
    moved = 0
    for (const layer of order) {
      const wanted = layer.map((item) => {
        const around = (beside.get(item.id) ?? []).map((id) => middles.get(id) ?? 0)
        if (around.length === 0) return middles.get(item.id) ?? 0
        return around.reduce((a, b) => a + b, 0) / around.length
      })
      apart(layer, wanted, gap).forEach((middle, at) => {
        const id = layer[at]?.id ?? ''
        moved = Math.max(moved, Math.abs(middle - (middles.get(id) ?? 0)))
        middles.set(id, middle)
      })
    }
  }
  const top = Math.min(
    ...layers.flatMap((layer) => layer.map((item) => (middles.get(item.id) ?? 0) - item.height / 2)),
  )
  return new Map([...middles].map(([id, middle]) => [id, Math.round(middle - top)]))
}

/**
 * The places nearest to the wanted ones that keep order and distance: least squares, by pooling
 * neighbours that would come too close.
 */
function apart(layer: Item[], wanted: number[], gap: number): number[] {
  const offsets: number[] = []
  layer.forEach((item, at) => {
    const above = layer[at - 1]
    offsets.push(above ? (offsets[at - 1] ?? 0) + (above.height + item.height) / 2 + gap : 0)
  })
  const pools: { sum: number; weight: number; count: number }[] = []
  layer.forEach((item, at) => {
    const weight = item.heavy ? 4 : 1
    let pool = { sum: weight * ((wanted[at] ?? 0) - (offsets[at] ?? 0)), weight, count: 1 }
    for (
      let last = pools.at(-1);
      last && last.sum / last.weight >= pool.sum / pool.weight;
      last = pools.at(-1)
    ) {
      pools.pop()
      pool = { sum: last.sum + pool.sum, weight: last.weight + pool.weight, count: last.count + pool.count }
    }
    pools.push(pool)
  })
  return pools
    .flatMap((pool) => Array.from({ length: pool.count }, () => pool.sum / pool.weight))
    .map((place, at) => place + (offsets[at] ?? 0))
}
