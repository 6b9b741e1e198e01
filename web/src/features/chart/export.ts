import { download } from '../../ui/download'

/** Properties that a drawing takes from style sheets; alone it has none. */
const STYLES = [
  'fill',
  'fill-opacity',
  'stroke',
  'stroke-width',
  'stroke-dasharray',
  'opacity',
  'font-family',
  'font-size',
  'font-weight',
  'text-anchor',
  'paint-order',
] as const
const FOOT = 26

/** What is seen of a chart, as a drawing of its own with words below it: what is shown, through which lens, and when. */
export function standalone(svg: SVGSVGElement, words: string[]): string {
  const width = svg.clientWidth
  const height = svg.clientHeight + FOOT * words.length
  const copy = svg.cloneNode(true) as SVGSVGElement
  const [originals, copies] = [svg.querySelectorAll('*'), copy.querySelectorAll('*')]
  originals.forEach((original, index) => {
    const style = getComputedStyle(original)
    const made = copies[index]
    if (!made) return
    for (const name of STYLES) made.setAttribute(name, style.getPropertyValue(name))
    for (const name of ['class', 'role', 'tabindex', 'data-grip']) made.removeAttribute(name)
  })
  const look = getComputedStyle(svg)
  const ground = document.createElementNS(copy.namespaceURI, 'rect')
  ground.setAttribute('width', String(width))
  ground.setAttribute('height', String(height))
  ground.setAttribute('fill', look.backgroundColor)
  copy.prepend(ground)
  words.forEach((line, index) => {
    const text = document.createElementNS(copy.namespaceURI, 'text')
    text.setAttribute('x', '12')
    text.setAttribute('y', String(svg.clientHeight + FOOT * (index + 0.65)))
    text.setAttribute('fill', look.color)
    text.setAttribute('font-size', '14')
    text.setAttribute('font-family', look.fontFamily)
    text.textContent = line
    copy.append(text)
  })
  for (const name of ['class', 'style', 'role', 'tabindex', 'aria-describedby']) copy.removeAttribute(name)
  copy.setAttribute('viewBox', `0 0 ${width} ${height}`)
  copy.setAttribute('width', String(width))
  copy.setAttribute('height', String(height))
  return new XMLSerializer().serializeToString(copy)
}

export function downloadSvg(name: string, svg: SVGSVGElement, words: string[]) {
  download(`${name}.svg`, new Blob([standalone(svg, words)], { type: 'image/svg+xml' }))
}

/** The same as a picture, twice as fine as the screen's. */
export async function downloadPng(name: string, svg: SVGSVGElement, words: string[]) {
  const image = new Image()
  const text = standalone(svg, words)
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text)}`
  await image.decode()
  const canvas = document.createElement('canvas')
  canvas.width = image.naturalWidth * 2
  canvas.height = image.naturalHeight * 2
  canvas.getContext('2d')?.drawImage(image, 0, 0, canvas.width, canvas.height)
  const blob = await new Promise<Blob | null>((resolve) => canvas.toBlob(resolve, 'image/png'))
  if (!blob) throw new Error('the browser makes no picture of it')
  download(`${name}.png`, blob)
}
