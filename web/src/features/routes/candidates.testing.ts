import type { Candidate } from '../../api/types'

/** Makes candidates whose rungs have these names: the texts in their order, and where it lost. */
export const candidatesWith =
  (rungs: string[]) =>
  (title: string, texts: string[], lost: string | null, more: Partial<Candidate> = {}): Candidate => ({
    protocol: title.toLowerCase(),
    title,
    advertiser: null,
    lost_on: lost,
    next_hops: [nextHop(more.advertiser ?? 'r9')],
    values: {
      usable: lost !== 'usable',
      problem: null,
      distance: Number(texts[rungs.indexOf('distance')]),
      path_type: null,
      metric: Number(texts[rungs.indexOf('metric')]),
      tag: 0,
      discard: false,
    },
    rungs: rungs.map((id, at) => ({ id, title: id, text: texts[at] ?? '' })),
    file: 'r1.yaml',
    line: 7,
    column: 1,
    also: [],
    ...more,
  })

export const nextHop = (device: string) => ({
  address: '10.0.0.1',
  interface: 'e1',
  device,
  weight: 1,
  via: null,
})
