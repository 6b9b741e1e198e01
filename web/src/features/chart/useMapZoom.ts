import { select } from 'd3-selection'
import { zoom, zoomIdentity, type D3ZoomEvent, type ZoomBehavior, type ZoomTransform } from 'd3-zoom'
import { useCallback, useEffect, useRef, useState } from 'react'
import { bottom, left, right, top, type Box, type Point } from './geometry'

/** What is drawn depends on how near one is: sites, then devices by name, then interfaces too. */
export type Level = 'sites' | 'devices' | 'interfaces'

/** Zooms at which names of devices, and what stands at the ends of lines, can be read. */
const NAMES = 0.7
const ENDS = 1.45
const NEAREST = 4
const ROOM = 12
const STEP = 1.35
/** How much of the view is drawn beyond its edges, so that moving it draws nothing new for a while. */
const BEYOND = 0.4

export const levelAt = (scale: number): Level =>
  scale >= ENDS ? 'interfaces' : scale >= NAMES ? 'devices' : 'sites'

/** The part of the chart that a view of some size shows. */
function seen(at: ZoomTransform, size: { width: number; height: number }): Box {
  const [x, y] = at.invert([size.width / 2, size.height / 2])
  return { x, y, width: size.width / at.k, height: size.height / at.k }
}

/** Where somebody has moved the chart: what is in the middle, and how near it is. */
export type Kept = Point & { k: number }

/**
 * Wheel, pinch and drag move the chart like a map; nothing else of the page scrolls. It begins where it
 * was `kept`, else with everything in sight; where it comes to rest is told to `onRest`, null for all.
 */
export function useMapZoom(world: Box | null, kept: Kept | null, onRest: (kept: Kept | null) => void) {
  const host = useRef<SVGSVGElement>(null)
  const layer = useRef<SVGGElement>(null)
  const overview = useRef<SVGRectElement>(null)
  const behaviour = useRef<ZoomBehavior<SVGSVGElement, unknown> | null>(null)
  const [size, setSize] = useState({ width: 0, height: 0 })
  const [at, setAt] = useState<ZoomTransform>(zoomIdentity)
  const shown = useRef({ at, size })
  const start = useRef(kept)
  const touched = useRef(kept !== null)
  const rests = useRef(onRest)

  useEffect(() => {
    rests.current = onRest
  }, [onRest])

  useEffect(() => {
    shown.current = { at, size }
  }, [at, size])

  useEffect(() => {
    const svg = host.current
    if (!svg) return
    const measured = () => setSize({ width: svg.clientWidth, height: svg.clientHeight })
    measured()
    const observer = new ResizeObserver(measured)
    observer.observe(svg)
    const moved = zoom<SVGSVGElement, unknown>()
      .scaleExtent([0.02, NEAREST])
      .extent(() => [
        [0, 0],
        [svg.clientWidth, svg.clientHeight],
      ])
      .filter((event: Event) => {
        const grip = event.target instanceof Element && event.target.closest('[data-grip]')
        // With the shift key a drag chooses, see useBoxSelect.
        return (
          event.type === 'wheel' ||
          (!grip && !(event as MouseEvent).button && !(event as MouseEvent).shiftKey)
        )
      })
      .on('zoom', ({ transform, sourceEvent }: D3ZoomEvent<SVGSVGElement, unknown>) => {
        touched.current ||= Boolean(sourceEvent)
        layer.current?.setAttribute('transform', transform.toString())
        const { at: drawn, size: room } = shown.current
        const view = seen(transform, room)
        drawView(overview.current, view)
        const had = seen(drawn, room)
        const out =
          Math.abs(view.x - had.x) > had.width * BEYOND || Math.abs(view.y - had.y) > had.height * BEYOND
        if (levelAt(transform.k) !== levelAt(drawn.k) || out || transform.k < drawn.k / STEP) setAt(transform)
      })
      .on('end', ({ transform }: D3ZoomEvent<SVGSVGElement, unknown>) => {
        setAt(transform)
        const { x, y } = seen(transform, shown.current.size)
        rests.current(touched.current ? { x, y, k: transform.k } : null)
      })
    behaviour.current = moved
    select(svg).call(moved).on('dblclick.zoom', null)
    return () => {
      observer.disconnect()
      select(svg).on('.zoom', null)
    }
  }, [])

  const go = useCallback((to: ZoomTransform) => {
    if (host.current && behaviour.current) select(host.current).call(behaviour.current.transform, to)
  }, [])
  const fit = useCallback(() => {
    if (!world || !size.width || !size.height) return
    const scale = Math.min(
      (size.width - 2 * ROOM) / Math.max(1, world.width),
      (size.height - 2 * ROOM) / Math.max(1, world.height),
      1.3,
    )
    touched.current = false
    go(
      zoomIdentity
        .translate(size.width / 2, size.height / 2)
        .scale(scale)
        .translate(-world.x, -world.y),
    )
  }, [go, size, world])
  const zoomBy = useCallback((factor: number) => {
    touched.current = true
    if (host.current && behaviour.current) select(host.current).call(behaviour.current.scaleBy, factor)
  }, [])
  /** Brings a point into the middle, near enough to read. */
  const show = useCallback(
    (point: Point, scale?: number) => {
      touched.current = true
      const k = scale ?? Math.max(shown.current.at.k, NAMES + 0.1)
      go(
        zoomIdentity
          .translate(size.width / 2, size.height / 2)
          .scale(k)
          .translate(-point.x, -point.y),
      )
    },
    [go, size],
  )
  const view = seen(at, size)
  const isSeen = (point: Point) =>
    point.x > left(view) && point.x < right(view) && point.y > top(view) && point.y < bottom(view)

  // Until somebody has moved it, the whole chart is shown, whatever the size of the window.
  useEffect(() => {
    if (!touched.current) fit()
    else if (start.current && size.width > 0) {
      const { k, ...point } = start.current
      start.current = null
      show(point, k)
    }
  }, [fit, show, size])
  useEffect(() => drawView(overview.current, seen(at, size)), [at, size])
  const moves = { zoomIn: () => zoomBy(STEP), zoomOut: () => zoomBy(1 / STEP), fit, show, isSeen }
  return [
    { host, layer, overview },
    { at, view, level: levelAt(at.k), isReady: at !== zoomIdentity, ...moves },
  ] as const
}

function drawView(rect: SVGRectElement | null, view: Box) {
  rect?.setAttribute('x', String(left(view)))
  rect?.setAttribute('y', String(top(view)))
  rect?.setAttribute('width', String(view.width))
  rect?.setAttribute('height', String(view.height))
}

/** The view with what lies around it, which is drawn too. */
export const aroundView = (view: Box): Box => ({
  ...view,
  width: view.width * (1 + 2 * BEYOND) + 40,
  height: view.height * (1 + 2 * BEYOND) + 40,
})
