import type { MouseEvent, RefObject } from 'react'
import { left, top, type Box, type Point } from './geometry'

const SIZE = { width: 150, height: 96 }

type OverviewProps = {
  areas: Map<string, Box>
  world: Box
  view: Box
  rect: RefObject<SVGRectElement | null>
  onGo: (point: Point) => void
}

/** The whole chart, small, with the part in view; only while not all of it is. A press goes there. */
export function Overview({ areas, world, view, rect, onGo }: OverviewProps) {
  if (view.width >= world.width * 0.98 && view.height >= world.height * 0.98) return null
  const go = (event: MouseEvent<SVGSVGElement>) => {
    const matrix = event.currentTarget.getScreenCTM()
    if (!matrix) return
    const { x, y } = new DOMPoint(event.clientX, event.clientY).matrixTransform(matrix.inverse())
    onGo({ x, y })
  }
  return (
    // Keys move the chart itself; this is for the pointer alone.
    <svg
      {...SIZE}
      viewBox={`${left(world)} ${top(world)} ${world.width} ${world.height}`}
      className="absolute right-2 bottom-2 cursor-pointer rounded-md border border-line bg-card/90"
      role="img"
      aria-label="The whole chart, with the part in view"
      onClick={go}
    >
      {[...areas].map(([name, area]) => (
        <rect
          key={name}
          x={left(area)}
          y={top(area)}
          width={area.width}
          height={area.height}
          rx={10}
          className="fill-sunk stroke-line"
          vectorEffect="non-scaling-stroke"
        />
      ))}
      <rect
        ref={rect}
        className="fill-chosen/10 stroke-chosen"
        strokeWidth={1.5}
        vectorEffect="non-scaling-stroke"
      />
    </svg>
  )
}
