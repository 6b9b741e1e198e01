import '@testing-library/jest-dom/vitest'
import { cleanup, configure } from '@testing-library/react'
import { afterEach } from 'vitest'

afterEach(cleanup)

// Parts of pages are loaded when they are first shown, which takes longer beside other tests.
configure({ asyncUtilTimeout: 10_000 })

// The test document has no layout, so there is nowhere to scroll to.
Element.prototype.scrollIntoView = () => {}

// The editor asks where text stands; nothing is laid out here.
Range.prototype.getClientRects = () => [] as unknown as DOMRectList

// Nobody has said whether it shall be dark.
const nothing = () => {}
window.matchMedia = () =>
  ({
    matches: false,
    addListener: nothing,
    removeListener: nothing,
    addEventListener: nothing,
    removeEventListener: nothing,
  }) as unknown as MediaQueryList
