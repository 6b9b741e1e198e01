import { useRef, useState, type PointerEvent, type RefObject } from 'react'
import type { ZoomTransform } from 'd3-zoom'
import { overlap, type Box, type Point } from './geometry'

/** The box that is drawn, in the chart's units, from one corner to the other. */
function boxOf(from: Point, to: Point): Box {
  return {
    x: (from.x + to.x) / 2,
    y: (from.y + to.y) / 2,
    width: Math.abs(from.x - to.x),
    height: Math.abs(from.y - to.y),
  }
}

/** With the shift key held a drag over the chart draws a box; what lies in it is chosen together. */
export function useBoxSelect(
  host: RefObject<SVGSVGElement | null>,
  at: ZoomTransform,
  nodes: Map<string, Box>,
) {
  const [box, setBox] = useState<Box | null>(null)
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set())
  const from = useRef<Point | null>(null)
  const pointOf = (event: PointerEvent): Point => {
    const frame = host.current?.getBoundingClientRect()
    const [x, y] = at.invert([event.clientX - (frame?.left ?? 0), event.clientY - (frame?.top ?? 0)])
    return { x, y }
  }
  return {
    box,
    chosen,
    clear: () => setChosen(new Set()),
    handlers: {
      // Caught before the map or a tile takes it for a move.
      onPointerDownCapture: (event: PointerEvent<SVGSVGElement>) => {
        if (!event.shiftKey || event.button) return
        event.stopPropagation()
        event.currentTarget.setPointerCapture(event.pointerId)
        from.current = pointOf(event)
        setBox(boxOf(from.current, from.current))
      },
      onPointerMove: (event: PointerEvent<SVGSVGElement>) => {
        if (from.current) setBox(boxOf(from.current, pointOf(event)))
      },
      onPointerUp: (event: PointerEvent<SVGSVGElement>) => {
        if (!from.current) return
        const drawn = boxOf(from.current, pointOf(event))
        from.current = null
        setBox(null)
        setChosen(new Set([...nodes].flatMap(([id, node]) => (overlap(node, drawn) ? [id] : []))))
      },
      onPointerCancel: () => {
        from.current = null
        setBox(null)
      },
    },
  }
}
