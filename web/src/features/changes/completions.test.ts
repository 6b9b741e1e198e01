import { readFileSync } from 'node:fs'
import { resolve } from 'node:path'
import { expect, test } from 'vitest'
import { completionsAt, spotAt, type Schema } from './completions'

const LANGUAGE = JSON.parse(
  readFileSync(resolve(__dirname, '../../../../docs/device-file.schema.json'), 'utf8'),
) as Schema

const HEAD = 'routrel: 1\ndevice: r1\nrole: router\n'

/** Completions at the bar in a text. */
function at(text: string) {
  const offset = text.indexOf('|')
  return completionsAt(LANGUAGE, text.replace('|', ''), offset).map((each) => each.label)
}

test.each([
  ['a key of a key', 'interfaces:\n  port1:\n    ospf:\n      |', ['interfaces', 'port1', 'ospf'], null],
  ['behind a key', 'interfaces:\n  port1:\n    enabled: |', ['interfaces', 'port1'], 'enabled'],
  ['in brackets', 'interfaces:\n  port1:\n    ospf: {area: 0, |', ['interfaces', 'port1', 'ospf'], null],
  ['behind a key in brackets', 'static:\n  - {to: 10.0.0.0/8, discard: |', ['static', '-'], 'discard'],
  [
    'an item of a list',
    'filters:\n  in:\n    rules:\n      - id: 10\n        |',
    ['filters', 'in', 'rules', '-'],
    null,
  ],
  ['an item as far in as its key', 'static:\n- to: 10.0.0.0/8\n  |', ['static', '-'], null],
  ['back at the left', 'interfaces:\n  port1:\n    mtu: 1500\n|', [], null],
  ['a list in brackets', 'a:\n  b: [x, |', ['a', 'b', '-'], null],
  [
    'quoted keys',
    'bgp:\n  neighbours:\n    "2001:db8::1":\n      |',
    ['bgp', 'neighbours', '2001:db8::1'],
    null,
  ],
  ['past what is closed', 'a: {b: 1}\nc:\n  |', ['c'], null],
])('%s', (_, text, path, behind) => {
  const spot = spotAt(text.replace('|', ''), text.indexOf('|'))
  expect([spot.path, spot.behind]).toEqual([path, behind])
})

test('keys that stand there already are left out, above and below', () => {
  const found = at(`${HEAD}interfaces:\n  port1:\n    mtu: 1500\n    |\n    addresses: [10.0.0.1/24]\n`)
  expect(found).toContain('bandwidth')
  expect(found).not.toContain('mtu')
  expect(found).not.toContain('addresses')
})

test('the words of a choice and of a switch are completed', () => {
  expect(at(`${HEAD}interfaces:\n  port1:\n    enabled: |`)).toEqual(['true', 'false'])
  expect(at(`${HEAD}interfaces:\n  port1:\n    ospf: {network: |`)).toContain('point-to-point')
})

test('a file of no kind completes nothing', () => {
  expect(at('x: 1\n|')).toEqual([])
})
