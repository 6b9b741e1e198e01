import { readFileSync } from 'node:fs'
import { expect, test } from 'vitest'

const css = readFileSync(`${import.meta.dirname}/styles.css`, 'utf8')

/** The tokens of a theme, which fills those of the one before. */
function tokens(selector: string): Map<string, string> {
  const block = css.slice(css.indexOf(`${selector} {`)).split('}')[0] ?? ''
  return new Map(
    [...block.matchAll(/--([\w-]+): (#[0-9a-f]{6});/g)].map(([, name = '', colour = '']) => [name, colour]),
  )
}

/** WCAG 2.2's relative luminance. */
function luminance(colour: string): number {
  const parts = [1, 3, 5].map((at) => parseInt(colour.slice(at, at + 2), 16) / 255)
  const linear = parts.map((part) => (part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4))
  return [0.2126, 0.7152, 0.0722].reduce((sum, weight, at) => sum + weight * (linear[at] ?? NaN), 0)
}

function contrast(a: string, b: string): number {
  const both = [luminance(a), luminance(b)]
  return (Math.max(...both) + 0.05) / (Math.min(...both) + 0.05)
}

const GROUNDS = ['paper', 'card', 'sunk']
const READ = ['ink', 'soft', 'link', 'go', 'stop', 'warn']
const PAIRS = [
  ...READ.flatMap((text) => GROUNDS.slice(0, 2).map((ground) => [text, ground, 4.5] as const)),
  ...GROUNDS.flatMap((ground) => [['edge', ground, 3] as const, ['focus', ground, 3] as const]),
  ['go', 'go-wash', 4.5],
  ['stop', 'stop-wash', 4.5],
  ['warn', 'warn-wash', 4.5],
  ['sea-ink', 'sea', 4.5],
  ['sea-soft', 'sea', 4.5],
  ['on-accent', 'act', 4.5],
] as const

test.each([':root', ":root[data-theme='dark']"])('texts, edges and focus stand out in %s', (theme) => {
  const colours = tokens(theme)
  const faint = PAIRS.filter(
    ([front, ground, least]) => !(contrast(colours.get(front) ?? '', colours.get(ground) ?? '') >= least),
  )
  expect(faint).toEqual([])
})
