import { useRef, useState, type PointerEvent } from 'react'
import type { Box, Point } from './geometry'

/** What is being dragged, and by how much, in the chart's units. */
export type Drag = { ids: ReadonlySet<string>; by: Point }

/** Less than this is a click, in pixels. */
const CLICK = 4
const GRID = 8
const ALIGNED = 7

/** Where something comes to rest: on the grid, or in line with a neighbour that is nearly so. */
export function snapped(at: Point, others: Iterable<Box>): Point {
  const to = { x: Math.round(at.x / GRID) * GRID, y: Math.round(at.y / GRID) * GRID }
  let across = ALIGNED
  let down = ALIGNED
  for (const other of others) {
    const [dx, dy] = [Math.abs(other.x - at.x), Math.abs(other.y - at.y)]
    if (dx < across && dy < 400) {
      across = dx
      to.x = other.x
    }
    if (dy < down && dx < 700) {
      down = dy
      to.y = other.y
    }
  }
  return to
}

/** Drags tiles and whole sites. `onDrop` hears of what was moved; a press without a move is a click. */
export function useMoving(scale: number, onDrop: (drag: Drag) => void) {
  const [drag, setDrag] = useState<Drag | null>(null)
  const held = useRef<{ x: number; y: number; ids: Set<string>; last: Drag | null } | null>(null)
  const grip = (ids: () => Iterable<string>) => ({
    'data-grip': true,
    onPointerDown: (event: PointerEvent<SVGElement>) => {
      if (event.button) return
      held.current = { x: event.clientX, y: event.clientY, ids: new Set(ids()), last: null }
      event.currentTarget.setPointerCapture(event.pointerId)
    },
    onPointerMove: (event: PointerEvent<SVGElement>) => {
      const from = held.current
      if (!from) return
      const by = { x: (event.clientX - from.x) / scale, y: (event.clientY - from.y) / scale }
      const far = Math.hypot(event.clientX - from.x, event.clientY - from.y)
      if (far <= CLICK && !from.last) return
      // The release may come before the next drawing: what it drops is remembered here.
      from.last = { ids: from.ids, by }
      setDrag(from.last)
    },
    onPointerUp: () => {
      if (held.current?.last) onDrop(held.current.last)
      setDrag(null)
    },
    onPointerCancel: () => {
      held.current = null
      setDrag(null)
    },
    onClickCapture: (event: { stopPropagation: () => void; preventDefault: () => void }) => {
      if (held.current?.last) {
        event.stopPropagation()
        event.preventDefault()
      }
      held.current = null
    },
  })
  return { drag, grip }
}
