const RELOADED = 'routrel-reloaded-for'

/** A part of the page that cannot be had though the server is there, and loading anew did not help. */
export class PartMissing extends Error {}

/**
 * A part of the page that is loaded when it is first wanted. While the server is away it waits; where
 * the server is there and the part is not, the application was updated, and the whole page is loaded
 * anew, once.
 */
export async function loaded<Part>(load: () => Promise<Part>, again = 2000): Promise<Part> {
  for (;;) {
    try {
      const part = await load()
      sessionStorage.removeItem(RELOADED)
      return part
    } catch (error) {
      const there = await fetch('/api/session').then(
        (response) => response.ok,
        () => false,
      )
      if (there) {
        if (sessionStorage.getItem(RELOADED) === location.pathname)
          throw new PartMissing(String(error), { cause: error })
        sessionStorage.setItem(RELOADED, location.pathname)
        location.reload()
      }
      await new Promise((done) => setTimeout(done, again))
    }
  }
}
