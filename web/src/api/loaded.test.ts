import { afterEach, describe, expect, it, vi } from 'vitest'
import { loaded, PartMissing } from './loaded'

afterEach(() => {
  vi.unstubAllGlobals()
  sessionStorage.clear()
})

describe('a page that is loaded when it is shown', () => {
  it('waits while the server is away', async () => {
    const load = vi.fn().mockRejectedValueOnce(new TypeError('no module')).mockResolvedValue({ page: 1 })
    vi.stubGlobal('fetch', vi.fn().mockRejectedValue(new TypeError('no server')))
    expect(await loaded(load, 1)).toEqual({ page: 1 })
    expect(load).toHaveBeenCalledTimes(2)
  })

  it('is loaded anew once where the server is there, and fails then', async () => {
    const reload = vi.fn()
    vi.stubGlobal('location', { pathname: '/n/marram/flows', reload })
    vi.stubGlobal('fetch', vi.fn().mockResolvedValue(new Response()))
    const load = vi.fn().mockRejectedValue(new TypeError('no module'))
    await expect(loaded(load, 1)).rejects.toThrow(PartMissing)
    expect(reload).toHaveBeenCalledTimes(1)
  })
})
