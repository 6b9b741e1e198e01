/**
 * How long charts take to be laid out, and how well they can be read: `npm run bench`.
 * Small ones are the best of several; of large ones crossings are not counted.
 */
import { bench, describe } from 'vitest'
import { randomChart } from '../src/features/chart/charts.testing'
import { around } from '../src/features/chart/geometry'
import { layoutChart } from '../src/features/chart/layout'
import { measure } from '../src/features/chart/measure'

for (const [size, sites, links] of [
  [72, 10, 120],
  [300, 30, 700],
  [1000, 60, 3000],
  [1000, 0, 3000],
  [5000, 250, 12_000],
] as const) {
  const chart = randomChart(size, size, sites, links)
  describe(`${size} devices, ${links} links, ${sites} sites`, () => {
    const { nodes, areas, lines } = layoutChart({ chart, hosts: [], known: {} })
    const whole = around(areas.values())
    const found = size <= 300 ? measure(nodes, areas, lines) : { lines: lines.length }
    console.log(
      size,
      Math.round(whole?.width ?? 0),
      'x',
      Math.round(whole?.height ?? 0),
      JSON.stringify(found),
    )
    bench('layout', () => void layoutChart({ chart, hosts: [], known: {} }), {
      iterations: 2,
      time: 1,
      warmupIterations: 0,
      warmupTime: 0,
    })
  })
}
