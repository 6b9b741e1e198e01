import { layoutChart, type LayoutQuestion } from './layout'

/** Lays charts out beside the page, so that it stays usable meanwhile. */
self.onmessage = ({ data: { id, question } }: MessageEvent<{ id: number; question: LayoutQuestion }>) => {
  try {
    self.postMessage({ id, layout: layoutChart(question) })
  } catch (error) {
    self.postMessage({ id, error: error instanceof Error ? error.message : String(error) })
  }
}

self.postMessage({ id: 0 }) // it is there
