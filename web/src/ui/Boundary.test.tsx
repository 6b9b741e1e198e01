import { render, screen } from '@testing-library/react'
import { expect, test, vi } from 'vitest'
import { PartMissing } from '../api/loaded'
import { Boundary } from './Boundary'

function Fails({ error }: { error: Error | null }) {
  if (error) throw error
  return <p>well</p>
}

test.each([
  [new PartMissing('no module'), /It was probably updated a moment ago/],
  [new Error('x is undefined'), 'Error: x is undefined'],
])('what fails is said in words, and another page is tried anew: %s', (error, said) => {
  vi.spyOn(console, 'error').mockImplementation(() => undefined)
  const { rerender } = render(
    <Boundary place="/a">
      <Fails error={error} />
    </Boundary>,
  )
  expect(screen.getByText(said)).toBeVisible()
  expect(screen.getByRole('button', { name: 'Load the page anew' })).toBeVisible()
  rerender(
    <Boundary place="/b">
      <Fails error={null} />
    </Boundary>,
  )
  expect(screen.getByText('well')).toBeVisible()
})
