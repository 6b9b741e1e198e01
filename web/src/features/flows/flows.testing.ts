import type { Branch, Direction, Flow, Hop, Stage } from '../../api/types'

/** A hop that is as plain as can be, with what a test is about. */
export const aHop = (device: string, more: Partial<Hop> = {}, ...stages: Stage[]): Hop => ({
  device,
  vrf: 'default',
  in: null,
  out: null,
  outside: false,
  unusual: null,
  stages,
  ...more,
})

/** A branch over these devices, "a b c". */
export const aBranch = (path: string, more: Partial<Branch> = {}): Branch => ({
  share: 1,
  share_text: '',
  verdict: 'delivered',
  outside: null,
  entry: null,
  path_mtu: 1500,
  cause: null,
  hops: path.split(' ').map((device) => aHop(device)),
  ...more,
})

const anEnd = (name: string) => ({ text: name, name, address: '10.0.0.1', note: '' })

/** A direction to a device over some branches. */
export const aDirection = (to: string, branches: Branch[], more: Partial<Direction> = {}): Direction => ({
  verdict: branches[0]?.verdict ?? 'no_route',
  routing_verdict: 'delivered',
  sentence: '',
  way: '',
  entries: [],
  source: anEnd(branches[0]?.hops[0]?.device ?? ''),
  destination: anEnd(to),
  branches,
  unfollowed: 0,
  cause: branches[0]?.cause ?? null,
  obstacles: [],
  defaults: [],
  ...more,
})

/** An answer, at the last hop of its first branch where nothing else is said. */
export const aFlow = (forward: Direction, back: Direction | null, more: Partial<Flow> = {}): Flow => ({
  sentence: '',
  facts: [],
  decides: {
    direction: 'forward',
    branch: 0,
    hop: (forward.branches[0]?.hops.length ?? 1) - 1,
    why: 'it ends here',
  },
  traffic: '',
  doubt: null,
  forward,
  return: back,
  causes: [],
  classes: [],
  ...more,
})
