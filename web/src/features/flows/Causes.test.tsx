import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test } from 'vitest'
import type { FlowCause, FlowClass, Verdict } from '../../api/types'
import { visit } from '../../testing'
import { Causes } from './Causes'
import { aBranch, aDirection, aFlow } from './flows.testing'
import { flowTone } from './verdicts'
import { causeWords } from '../../wording'

const pairs = (...names: string[]) => names.map((source) => ({ source, destination: 'db' }))
const aClass = (way: string, differs: string, ...names: string[]): FlowClass => ({
  asked: { source: names[0] ?? '', destination: 'db' },
  way,
  differs,
  pairs: pairs(...names),
  verdict: 'filtered',
  return_verdict: 'delivered',
  sentence: '',
  answer: null,
})
const aCause = (verdict: Verdict, of_nobody: boolean, classes: number[], sentence = ''): FlowCause => ({
  sentence,
  verdict,
  return_verdict: 'delivered',
  of_nobody,
  pair_count: 3,
  classes,
  file: 'fw.yaml',
  line: 30,
  column: 1,
})
const flow = aFlow(aDirection('db', [aBranch('a db')]), null, {
  causes: [aCause('filtered', false, [0, 1], '3 pairs: blocked.'), aCause('next_hop_unresolved', true, [2])],
  classes: [aClass('a → fw', '', 'a', 'b'), aClass('c → fw', 'at x, it turns.', 'c'), aClass('', '', 'n')],
})

test('a row for each cause with its line; it unfolds to ways, what splits them, and their pairs', async () => {
  visit(<Causes flow={flow} question={{ from: 'group', to: 'db', as: 'tcp 1' }} />, '/n/net/flows')
  const [row] = screen.getAllByRole('button')
  if (!row) throw new Error('no row')
  expect(row).toHaveTextContent('✗ blocked by a filter3 pairs: blocked. ▸ 3 pairs, 2 ways')
  expect(screen.getAllByRole('link', { name: 'fw.yaml:30' })[0]).toBeVisible()
  expect(screen.queryByText('a → fw')).toBeNull()
  await userEvent.click(row)
  const ways = within(row.closest('li') as HTMLElement).getAllByRole('listitem')
  expect(ways.map((way) => way.textContent)).toEqual([
    'a → fwa → dbb → dbShow the way of a → db',
    'c → fwWhat splits it off: at x, it turns.Show the way of c → db',
  ])
  expect(screen.getByRole('link', { name: 'Show the way of c → db' })).toHaveAttribute(
    'href',
    '/n/net/flows?revision=3&from=c&to=db&as=tcp+1',
  )
})

test('very many pairs are filtered, and told a page at a time', async () => {
  const sources = Array.from({ length: 135 }, (_, number) => `h${number}`)
  const many = { ...flow, causes: [aCause('filtered', false, [0])], classes: [aClass('w', '', ...sources)] }
  visit(<Causes flow={many} question={{ from: 'group', to: 'db', as: '' }} />, '/n/net/flows')
  await userEvent.click(screen.getByRole('button', { name: '127 more pairs' }))
  expect(screen.getByText('1 to 100 of 135 pairs')).toBeVisible()
  await userEvent.click(screen.getByRole('button', { name: 'later' }))
  expect(screen.getByText('101 to 135 of 135 pairs')).toBeVisible()
  expect(screen.getByText('h134 → db')).toBeVisible()
  await userEvent.type(screen.getByLabelText('Filter pairs'), 'h12')
  expect(screen.getByText('1 to 11 of 11 pairs')).toBeVisible()
  await userEvent.type(screen.getByLabelText('Filter pairs'), 'x')
  expect(screen.getByText('no pair matches')).toBeVisible()
})

test('what arrives and is not answered is not called delivered alone', () => {
  const lost = { ...aCause('delivered', false, [0]), return_verdict: 'filtered' as const }
  expect(causeWords(lost)).toBe('delivered; the answer is lost')
  expect(causeWords({ ...lost, return_verdict: 'delivered' })).toBe('delivered')
})

test('addresses of nobody never turn the headline red', () => {
  const of = (...causes: FlowCause[]) => flowTone({ ...flow, causes })
  const good = aCause('delivered', false, [0])
  const nobody = aCause('next_hop_unresolved', true, [1])
  expect(of(good, nobody)).toBe('go')
  expect(of(nobody)).toBe('warn')
  expect(of(good, aCause('no_route', false, [1]))).toBe('stop')
})
