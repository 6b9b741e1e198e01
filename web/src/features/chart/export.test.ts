import { expect, test, vi } from 'vitest'
import { downloadSvg, standalone } from './export'

function drawing(): SVGSVGElement {
  document.body.innerHTML = `
    <svg id="d" class="cursor-grab" role="group" tabindex="0" style="fill: red">
      <g transform="scale(2)"><rect class="fill-card" data-grip="true" style="fill: rgb(1, 2, 3); stroke-width: 3px"/>
      <text style="font-size: 14px">a &lt; b</text></g></svg>`
  const svg = document.getElementById('d')
  if (!(svg instanceof SVGSVGElement)) throw new Error('no drawing')
  Object.defineProperty(svg, 'clientWidth', { value: 640 })
  Object.defineProperty(svg, 'clientHeight', { value: 400 })
  return svg
}

test('a drawing stands by itself: its looks written out, words below, nothing of the page', () => {
  const text = standalone(drawing(), ['Marram, revision 3', 'Dashed: down & out'])
  const made = new DOMParser().parseFromString(text, 'image/svg+xml')
  expect(made.querySelector('parsererror')).toBeNull()
  const root = made.documentElement
  expect([root.getAttribute('viewBox'), root.getAttribute('width'), root.getAttribute('height')]).toEqual([
    '0 0 640 452',
    '640',
    '452',
  ])
  expect(['class', 'role', 'tabindex', 'style'].map((name) => root.getAttribute(name))).toEqual([
    null,
    null,
    null,
    null,
  ])
  const [ground, rect] = made.querySelectorAll('rect')
  expect(ground?.getAttribute('height')).toBe('452')
  expect(rect?.getAttribute('fill')).toBe('rgb(1, 2, 3)')
  expect(rect?.getAttribute('stroke-width')).toBe('3px')
  expect(rect?.hasAttribute('class') || rect?.hasAttribute('data-grip')).toBe(false)
  expect([...made.querySelectorAll('text')].map((each) => each.textContent)).toEqual([
    'a < b',
    'Marram, revision 3',
    'Dashed: down & out',
  ])
  expect(made.querySelector('g')?.getAttribute('transform')).toBe('scale(2)')
})

test('it is given as a file with its name, and the page stays as it is', () => {
  const clicked: string[] = []
  vi.spyOn(HTMLAnchorElement.prototype, 'click').mockImplementation(function (this: HTMLAnchorElement) {
    clicked.push(`${this.download} ${this.href}`)
  })
  URL.createObjectURL = () => 'blob:made'
  URL.revokeObjectURL = () => undefined
  const svg = drawing()
  const before = svg.outerHTML
  downloadSvg('chart-net', svg, [])
  expect(clicked).toEqual(['chart-net.svg blob:made'])
  expect(svg.outerHTML).toBe(before)
})
