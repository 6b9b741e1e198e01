import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, test, vi } from 'vitest'
import { serve, visit } from '../../testing'
import { QuestionBar } from './QuestionBar'

const device = (name: string) => ({
  kind: 'device',
  title: name,
  detail: 'host',
  value: name,
  device: name,
  file: null,
  line: null,
  column: null,
})

/** The bar before a network of two hosts. */
function open() {
  serve(({ searchParams }) =>
    ['kiosk', 'kiosk-2', 'desk'].filter((name) => name.includes(searchParams.get('q') ?? '')).map(device),
  )
  const onAsk = vi.fn()
  visit(<QuestionBar question={null} onAsk={onAsk} />, '/n/net/flows')
  return onAsk
}

test('Enter after a whole name asks at once; after a part of one it picks', async () => {
  const onAsk = open()
  await userEvent.type(screen.getByLabelText('to'), 'desk')
  await userEvent.type(screen.getByLabelText('from'), 'kio')
  await screen.findByRole('option', { name: /kiosk-2/ })
  await userEvent.keyboard('{Enter}')
  await waitFor(() => expect(screen.getByLabelText('from')).toHaveValue('kiosk'))
  expect(onAsk).not.toHaveBeenCalled()
  await userEvent.keyboard('{Enter}')
  expect(onAsk).toHaveBeenCalledWith(expect.objectContaining({ from: 'kiosk', to: 'desk', as: '' }))
})

test('from one open list the next field is one click away', async () => {
  open()
  await userEvent.type(screen.getByLabelText('from'), 'kio')
  await screen.findByRole('option', { name: /kiosk-2/ })
  await userEvent.click(screen.getByLabelText('traffic'))
  expect(screen.getByLabelText('traffic')).toHaveFocus()
  expect(screen.queryByRole('option')).toBeNull()
})

test('numbers that cannot be are refused in words, and what was typed stays', async () => {
  const onAsk = open()
  await userEvent.type(screen.getByLabelText('from'), 'kiosk')
  await userEvent.type(screen.getByLabelText('to'), 'desk')
  await userEvent.type(screen.getByLabelText('size in bytes'), '12e')
  await userEvent.click(screen.getByRole('button', { name: 'Ask' }))
  expect(screen.getByRole('alert')).toHaveTextContent('Size must be 20 to 65,535 bytes.')
  expect(screen.getByLabelText('size in bytes')).toHaveValue('12e')
  expect(onAsk).not.toHaveBeenCalled()
  await userEvent.clear(screen.getByLabelText('size in bytes'))
  await userEvent.type(screen.getByLabelText('size in bytes'), '1500')
  await userEvent.click(screen.getByRole('button', { name: 'Ask' }))
  expect(onAsk).toHaveBeenCalledWith(expect.objectContaining({ size: 1500 }))
})
