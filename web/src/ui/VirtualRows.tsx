import { useVirtualizer } from '@tanstack/react-virtual'
import { useLayoutEffect, useRef, type ReactNode } from 'react'

/** Which of very many rows are drawn, and where they scroll. */
export function useVirtualRows(count: number, height: number) {
  const scroller = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({
    count,
    getScrollElement: () => scroller.current,
    estimateSize: () => height,
    overscan: 3,
  })
  return { count, scroller, virtual, items: virtual.getVirtualItems() }
}

type VirtualRowsProps = {
  rows: ReturnType<typeof useVirtualRows>
  what: string
  widths: string
  header: ReactNode
  empty: string
  children: (index: number) => ReactNode
}

/** Elements are added by so many, lest a row more or less in view gives all of them other rows. */
const ELEMENTS_STEP = 16

/** A table of which only the rows in sight are drawn; `children` gives the cells of a row. */
export function VirtualRows({ rows, what, widths, header, empty, children }: VirtualRowsProps) {
  const { count, scroller, virtual, items } = rows
  const grid = { gridTemplateColumns: widths }
  const drawn = useRef<HTMLDivElement>(null)
  // An element goes on as another row when its own has left the view; its new height is to be known.
  useLayoutEffect(() => {
    const heights = [...(drawn.current?.children ?? [])].map((row) => (row as HTMLElement).offsetHeight)
    items.forEach((item, at) => {
      const height = heights[at]
      if (height && height !== item.size) virtual.resizeItem(item.index, height)
    })
  })
  const elements = Math.ceil(items.length / ELEMENTS_STEP) * ELEMENTS_STEP
  return (
    <div
      ref={scroller}
      role="table"
      aria-label={what}
      aria-rowcount={count + 1}
      className="min-h-0 flex-1 overflow-auto"
    >
      <div role="rowgroup" className="sticky top-0 z-10 border-b border-line bg-card">
        <div role="row" className="grid" style={grid}>
          {header}
        </div>
      </div>
      {count === 0 && <p className="p-3 text-soft">{empty}</p>}
      <div ref={drawn} role="rowgroup" className="relative" style={{ height: virtual.getTotalSize() }}>
        {items.map((item) => (
          <div
            key={item.index % elements}
            role="row"
            aria-rowindex={item.index + 2}
            data-index={item.index}
            className="absolute inset-x-0 grid [contain:layout_style] border-b border-line/60 hover:bg-sunk"
            style={{ ...grid, transform: `translateY(${item.start}px)` }}
          >
            {children(item.index)}
          </div>
        ))}
      </div>
    </div>
  )
}

/** One cell of such a row. */
export function Cell({ children, wide = false }: { children: ReactNode; wide?: boolean }) {
  return (
    <div role="cell" className={`px-2 py-1 ${wide ? 'min-w-0 break-words' : ''}`}>
      {children}
    </div>
  )
}
