import { render, screen } from '@testing-library/react'
import { expect, test } from 'vitest'
import { ImportedFiles } from './ImportedFiles'

const file = (path: string, device: string | null, verdict: 'read' | 'partly' | 'refused', text = '') => ({
  path,
  device,
  verdict,
  format: device && 'linux',
  messages: text ? [{ path, line: 4, text }] : [],
})

test('what was not understood comes first, with its line; whole files stand in one', () => {
  render(
    <ImportedFiles
      id={1}
      files={[
        file('a/addr.json', 'a', 'read'),
        file('b/addr.json', 'b', 'read'),
        file('b/nft.json', 'b', 'partly', 'rule 7 asks for “fib”; left out'),
        file('x.bin', null, 'refused', 'its format is not known'),
      ]}
    />,
  )
  expect(screen.getByRole('heading', { name: '4 files: 1 refused, 1 partly, 2 read' })).toBeVisible()
  const groups = [...screen.getByRole('list', { name: 'Files of the import' }).children]
  expect(groups.map((each) => each.querySelector('span')?.firstChild?.textContent)).toEqual([
    'the network',
    'b',
    'a',
  ])
  expect(groups[1]).toHaveTextContent('line 4: rule 7 asks for “fib”; left out')
})
