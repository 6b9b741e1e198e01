import '@testing-library/jest-dom/vitest'
import { cleanup } from '@testing-library/react'
import { afterEach } from 'vitest'

afterEach(cleanup)

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
